package service

import (
	"context"
	"errors"
	"slices"
	"strings"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/fleet"
	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/store"
)

// usableRule reads a rule; its error says where in the rule the mistake is.
func usableRule(source string) (*fleet.Rule, error) {
	rule, err := fleet.ParseRule(source)
	var where *fleet.RuleError
	if errors.As(err, &where) {
		return nil, failf(Invalid, "the rule cannot be used: line %d, column %d: %s", where.Line, where.Column, where.Message).at("rule").code("bad_rule")
	}
	return rule, err
}

// RuleTrial says for which devices a rule holds.
type RuleTrial struct {
	Holds, Unknown int      // numbers of devices
	Examples       []string // names of some for which it holds
	Reads          []string // facts the rule reads
}

// maxExamples is how many devices are named.
const maxExamples = 10

// TryRule says for which devices in reach a rule would hold, without saving it.
func (s *Service) TryRule(ctx context.Context, who auth.Identity, source string) (RuleTrial, error) {
	rule, err := usableRule(source)
	if err != nil {
		return RuleTrial{}, err
	}
	devices := s.View.Devices(who.Reach(auth.Look))
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
		return failf(Invalid, "the members of %q follow its rule; change the rule, or make a listed group", g.Name).at("add")
	case c.Rule == nil:
		return nil
	case g.Rule == "" || *c.Rule == "":
		return failf(Invalid, "the group %q cannot change between a list and a rule; make another group and aim the assignments at it", g.Name).at("rule")
	}
	_, err := usableRule(*c.Rule)
	return err
}

// ruleChanged works out a group by its new rule, and asks for the devices that came or went to be settled.
func (s *Service) ruleChanged(tx store.Tx, who auth.Identity, g store.Group) error {
	changed, err := regroup(tx, []store.Ruled{{ID: g.ID, Name: g.Name, Rule: g.Rule}}, nil)
	if err != nil {
		return err
	}
	if err := s.mayMove(tx, who, changed); err != nil {
		return err
	}
	if err := tx.Notify(store.Notice{Topic: store.TopicEdits, IDs: []string{g.Name}}); err != nil || len(changed) == 0 {
		return err
	}
	if err := tx.Notify(store.Notice{Topic: store.TopicGroups, IDs: changed}); err != nil {
		return err
	}
	return tx.RequestSettle(store.SettleRequest{Cause: "rule of group " + g.Name + " changed", Devices: changed, CreatedAt: s.Now()})
}

// mayFollow refuses a rule over facts that a device says of itself where assignments exclude the
// group, or operators have reach over it.
func (s *Service) mayFollow(tx store.Tx, group, rule string) error {
	assignments, err := tx.Assignments()
	if err != nil {
		return err
	}
	for _, a := range assignments {
		if slices.Contains(a.Exclude, group) {
			if err := organisationOnly(group, rule, excluded); err != nil {
				return err
			}
		}
	}
	operators, err := tx.OperatorsReaching(group)
	if err != nil || len(operators) == 0 {
		return err
	}
	return organisationOnly(group, rule, reached)
}

// notByDevice refuses groups whose rule reads what a device says of itself: a device could talk itself
// out of a policy, or into somebody's reach.
func notByDevice(tx store.Tx, groups []string, u groupUse) error {
	ruled, err := tx.RuledGroups()
	if err != nil {
		return err
	}
	for _, g := range ruled {
		if slices.Contains(groups, g.Name) {
			if err := organisationOnly(g.Name, g.Rule, u); err != nil {
				return err
			}
		}
	}
	return nil
}

// groupUse is a use of a group that no device may bring about itself.
type groupUse struct{ place, code, danger, instead string }

var (
	excluded = groupUse{"exclude", "excluded_by_device_fact", "it could talk itself out of the policy", "Exclude"}
	reached  = groupUse{"roles", "reach_by_device_fact", "it could talk itself into the reach of an operator", "Give reach over"}
)

func organisationOnly(group, source string, u groupUse) error {
	rule, err := usableRule(source)
	if err != nil {
		return err
	}
	for _, fact := range rule.Reads() {
		if !fleet.OfOrganisation(fact) {
			return failf(Invalid, "the rule of %q reads device.%s, which a device says of itself; %s. %s a listed group, or one whose rule reads only %s",
				group, fact, u.danger, u.instead, strings.Join(fleet.OrganisationFacts, ", ")).at(u.place).code(u.code)
		}
	}
	return nil
}

// groupsAreListed refuses groups that do not exist or that follow a rule.
func (s *Service) groupsAreListed(tx store.Tx, groups []string) error {
	if err := s.groupsExist(tx, "groups", groups); err != nil {
		return err
	}
	ruled, err := tx.RuledGroups()
	if err != nil {
		return err
	}
	for _, g := range ruled {
		if slices.Contains(groups, g.Name) {
			return failf(Invalid, "the members of %q follow its rule, so nobody can be put into it; name a listed group", g.Name).at("groups")
		}
	}
	return nil
}
