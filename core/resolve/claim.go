package resolve

import (
	"cmp"
	"slices"

	"rankwarden.example/core/fleet"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
)

// Applying is an assignment that applies to the device, with the policy it has in force.
type Applying struct {
	Name   string
	Rank   fleet.Rank
	Policy policy.Normal
}

// Claim is what one assignment asks of one unit.
type Claim struct {
	Assignment string
	Rank       fleet.Rank
	Unit       UnitID
	Value      Value
}

// Claims are all that the assignments ask, sorted by unit, rank and assignment.
func Claims(assignments []Applying) []Claim {
	var claims []Claim
	for _, a := range assignments {
		claim := func(unit UnitID, value Value) {
			claims = append(claims, Claim{a.Name, a.Rank, unit, value})
		}
		p := a.Policy.Passwords
		for _, rule := range []struct {
			unit  UnitID
			value *int
		}{{MinLength, p.MinLength}, {History, p.History}, {MaxAgeDays, p.MaxAgeDays}, {MinAgeDays, p.MinAgeDays}} {
			if rule.value != nil {
				claim(rule.unit, Int(*rule.value))
			}
		}
		if p.Complexity != nil {
			claim(Complexity, Bool(*p.Complexity))
		}
		if l := a.Policy.Lockout; l != nil {
			claim(Lockout, LockoutValue(*l))
		}
		for _, m := range a.Policy.Membership {
			claim(MembershipOf(m.LocalGroup), Statement{m.Mode, orEmpty(m.Members), orEmpty(m.Remove)})
		}
	}
	slices.SortFunc(claims, func(a, b Claim) int {
		return cmp.Or(a.Unit.Compare(b.Unit), cmp.Compare(a.Rank, b.Rank), cmp.Compare(a.Assignment, b.Assignment))
	})
	return claims
}

func orEmpty(refs []principal.Ref) []principal.Ref {
	if refs == nil {
		return []principal.Ref{}
	}
	return refs
}
