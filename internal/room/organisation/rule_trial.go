package organisation

import (
	"context"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/devicegroups"
)

// RuleTrial says for which devices a rule holds.
type RuleTrial struct {
	Holds, Unknown int      // numbers of devices
	Examples       []string // names of some for which it holds
	Reads          []string // facts the rule reads
}

// maxExamples is how many devices are named.
const maxExamples = 10

// TryRule says for which devices in reach a rule would hold, without saving it.
func (s *Service) TryRule(ctx context.Context, who rights.Identity, source string) (RuleTrial, error) {
	rule, err := devicegroups.Rule(source)
	if err != nil {
		return RuleTrial{}, err
	}
	devices := s.View.Devices(who.Reach(rights.Look))
	trial := RuleTrial{Examples: []string{}, Reads: rule.Reads()}
	for _, d := range devices { // by name
		if err := ctx.Err(); err != nil {
			return trial, err
		}
		switch rule.Holds(&d.Facts) {
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
