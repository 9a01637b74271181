package authoring

import (
	"context"
	"slices"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
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

// checkRuleChange refuses an edit that does not fit the kind of the group.
func checkRuleChange(g store.Group, c GroupChange) error {
	switch {
	case g.Rule != "" && len(c.Add)+len(c.Remove) > 0:
		return refusal.New(refusal.Invalid, "the members of %q follow its rule; change the rule, or make a listed group", g.Name).
			At("add")
	case c.Rule == nil:
		return nil
	case g.Rule == "" || *c.Rule == "":
		return refusal.New(refusal.Invalid, "the group %q cannot change between a list and a rule; create another group "+
			"and aim the assignments at it", g.Name).
			At("rule")
	}
	_, err := devicegroups.Rule(*c.Rule)
	return err
}

// ruleChanged works out a group by its new rule, and asks for the devices that came or went to be settled.
func ruleChanged(tx Records, w *uow.Work, g store.Group) error {
	changed, err := devicegroups.Regroup(tx, []store.RuleGroup{{ID: g.ID, Name: g.Name, Rule: g.Rule}}, nil)
	if err != nil {
		return err
	}
	if err := mayMove(tx, w.Who, changed); err != nil {
		return err
	}
	w.Tell(store.TopicEdits, g.Name)
	if len(changed) > 0 {
		devicegroups.Moved(w, "rule of group "+g.Name+" changed", changed)
	}
	return nil
}

// mayFollow refuses a rule over facts that a device says of itself where assignments exclude the
// group, or operators have reach over it.
func mayFollow(tx Records, group, rule string) error {
	assignments, err := tx.Assignments()
	if err != nil {
		return err
	}
	for _, a := range assignments {
		if slices.Contains(a.Exclude, group) {
			if err := devicegroups.Excluded.Check(group, rule); err != nil {
				return err
			}
		}
	}
	operators, err := tx.OperatorsReaching(group)
	if err != nil || len(operators) == 0 {
		return err
	}
	return devicegroups.Reached.Check(group, rule)
}
