package resolve

import (
	"slices"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
)

// Policy is what one policy asks for: its normal form, unit by unit, sorted by unit. It is made
// once and shared by all assignments of the policy.
type Policy struct {
	Name string
	Asks []Ask
}

// Ask is the value that a policy has for one unit.
type Ask struct {
	Unit  UnitID
	Value Value
}

// Assignment is an assignment together with the policy it has in force.
type Assignment struct {
	Name   string
	Rank   assign.Rank
	Stance assign.Stance
	Policy *Policy
}

// Claim is what one assignment asks of one unit.
type Claim struct {
	Assignment string
	Rank       assign.Rank
	Unit       UnitID
	Value      Value
}

// Claims takes a policy apart into its units.
func Claims(n policy.Normal) *Policy {
	p := &Policy{Name: n.Name}
	ask := func(unit UnitID, value Value) { p.Asks = append(p.Asks, Ask{unit, value}) }
	for _, rule := range []struct {
		unit  UnitID
		value *int
	}{{MinLength, n.Passwords.MinLength}, {History, n.Passwords.History}, {MaxAgeDays, n.Passwords.MaxAgeDays}, {MinAgeDays, n.Passwords.MinAgeDays}} {
		if rule.value != nil {
			ask(rule.unit, Int(*rule.value))
		}
	}
	if n.Passwords.Complexity != nil {
		ask(Complexity, Bool(*n.Passwords.Complexity))
	}
	if n.Lockout != nil {
		ask(Lockout, LockoutValue(*n.Lockout))
	}
	for _, m := range n.Membership {
		ask(MembershipOf(m.LocalGroup), Statement{m.Mode, orEmpty(m.Members), orEmpty(m.Remove)})
	}
	for _, a := range n.Accounts {
		ask(AccountOf(a.Key), AccountValue(a))
	}
	for _, r := range n.Rotation {
		ask(RotationOf(r.Target), RotationValue(r))
	}
	for account, b := range map[principal.Ref]*policy.Builtin{principal.Administrator: n.Builtins.Administrator, principal.Guest: n.Builtins.Guest} {
		if b == nil {
			continue
		}
		if b.Enabled != nil {
			ask(BuiltinOf(account, BuiltinEnabled), Bool(*b.Enabled))
		}
		for property, value := range map[string]*string{BuiltinName: b.Name, BuiltinFullName: b.FullName, BuiltinDescription: b.Description} {
			if value != nil {
				ask(BuiltinOf(account, property), Text(*value))
			}
		}
	}
	slices.SortFunc(p.Asks, func(a, b Ask) int { return a.Unit.Compare(b.Unit) })
	return p
}

func orEmpty(refs []principal.Ref) []principal.Ref {
	if refs == nil {
		return []principal.Ref{}
	}
	return refs
}
