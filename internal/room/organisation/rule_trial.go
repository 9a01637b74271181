package organisation

import (
	"context"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/refusal"
)

// RuleTrial says for which devices a rule holds.
type RuleTrial struct {
	Holds, Unknown int      // numbers of devices
	Examples       []string // names of some for which it holds
	Reads          []string // facts the rule reads
}

// maxExamples is how many devices are named.
const maxExamples = 10

// mostTried is what a trial may cost on all devices together, see [fleet.CountedRule]: about two seconds.
const mostTried = 20_000_000

// TryRule says for which devices in reach a rule would hold, without saving it.
func (s *Service) TryRule(ctx context.Context, who rights.Identity, source string) (RuleTrial, error) {
	rule, err := devicegroups.Rule(source)
	if err != nil {
		return RuleTrial{}, err
	}
	counted, err := rule.Counted()
	if err != nil {
		return RuleTrial{}, err
	}
	devices := s.View.Devices(who.Reach(rights.Look))
	trial := RuleTrial{Examples: []string{}, Reads: rule.Reads()}
	left := int64(mostTried)
	for _, d := range devices { // by name
		if err := ctx.Err(); err != nil {
			return trial, err
		}
		holds, cost := counted.Holds(&d.Facts)
		if left -= int64(cost); left < 0 {
			return trial, refusal.New(refusal.Invalid, "the rule takes too long to work out for %d devices; name "+
				"fewer things in it, or nest fewer lists in each other", len(devices)).
				At("rule").WithCode("rule_too_dear")
		}
		switch holds {
		case assign.Yes:
			if trial.Holds++; len(trial.Examples) < maxExamples {
				trial.Examples = append(trial.Examples, d.Name)
			}
		case assign.Unknown:
			trial.Unknown++
		}
	}
	return trial, nil
}
