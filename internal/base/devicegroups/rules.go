package devicegroups

import (
	"errors"
	"slices"
	"strings"

	"rankwarden.example/core/fleet"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/store"
)

// Rule reads a new rule; its error says where in the rule the mistake is.
func Rule(source string) (*fleet.Rule, error) {
	rule, err := fleet.ParseRule(source)
	if err == nil {
		err = rule.Affordable()
	}
	var where *fleet.RuleError
	if errors.As(err, &where) {
		return nil, refusal.New(refusal.Invalid, "the rule cannot be used: line %d, column %d: %s", where.Line,
			where.Column, where.Message).
			At("rule").
			WithCode("bad_rule")
	}
	return rule, err
}

// Use is a use of a group that no device may bring about itself.
type Use struct{ place, code, danger, instead string }

// The uses.
var (
	Excluded = Use{"exclude", "excluded_by_device_fact", "it could talk itself out of the policy", "Exclude"}
	Reached  = Use{
		"roles",
		"reach_by_device_fact",
		"it could talk itself into the reach of an operator",
		"Give reach over",
	}
)

// NotByDevice refuses groups whose rule reads what a device says of itself: a device could talk itself
// out of a policy, or into somebody's reach.
func NotByDevice(tx interface {
	RuledGroups() ([]store.RuleGroup, error)
	LearnsUsers() (bool, error)
}, groups []string, u Use) error {
	ruled, err := tx.RuledGroups()
	if err != nil {
		return err
	}
	learned, err := tx.LearnsUsers()
	if err != nil {
		return err
	}
	for _, g := range ruled {
		if slices.Contains(groups, g.Name) {
			if err := u.Check(g.Name, g.Rule, learned); err != nil {
				return err
			}
		}
	}
	return nil
}

// Check refuses the rule of a group for the use when it reads what a device says of itself: its own facts, and who uses
// it, where that is learned from what it says.
func (u Use) Check(group, source string, learned bool) error {
	rule, err := fleet.ParseRule(source)
	if err != nil {
		return err // it was checked when it was saved
	}
	for _, fact := range rule.Reads() {
		if !fleet.OfOrganisation(fact) || learned && fleet.OfUser(fact) {
			return refusal.New(refusal.Invalid,
				"the rule of %q reads device.%s, which a device says of itself; %s. %s a listed group, or one whose "+
					"rule reads only %s",
				group, fact, u.danger, u.instead, strings.Join(ofOrganisation(learned), ", ")).
				At(u.place).
				WithCode(u.code)
		}
	}
	return nil
}

// ofOrganisation are the facts that no device decides.
func ofOrganisation(learned bool) (facts []string) {
	for _, fact := range fleet.OrganisationFacts {
		if !learned || !fleet.OfUser(fact) {
			facts = append(facts, fact)
		}
	}
	return facts
}
