package preview

import (
	"slices"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/effect"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// guard sees whether a break-glass account is left in administrators.
func (c *comparer) guard() {
	administrators, there := c.state.Group(unit.GroupAdministrators)
	if !there {
		return
	}
	before, after := c.breakGlass(&administrators, without), c.breakGlass(&administrators, with)
	leaves := func(e effect.Effect) bool { return e.Unit == unit.Administrators && e.Kind == effect.MemberLeaves }
	switch {
	case len(after) > 0:
	case len(before) > 0:
		c.add(unit.Administrators, effect.GuardRefuses, "", before, nil)
	case slices.ContainsFunc(c.effects, leaves):
		c.add(unit.Administrators, effect.NoWayIn, "", nil, nil)
	}
}

// breakGlass are the accounts of the device itself that let somebody in without a network, in a future: members of
// administrators that are enabled and whose password is in escrow.
func (c *comparer) breakGlass(administrators *drift.LocalGroup, future int) []string {
	members := c.membersOf(unit.Administrators, administrators, future)
	var found []string
	check := func(ref principal.Ref, enabled bool) {
		if enabled && c.inEscrow(ref, future) && slices.Contains(members, c.identify(ref, future)) {
			found = append(found, ref.String())
		}
	}
	rule := unit.BuiltinOf(principal.Administrator, unit.BuiltinEnabled)
	enabled, _ := c.ruleValue(rule, valueOf(c.desired[future], rule)).(unit.Bool)
	check(principal.Administrator, bool(enabled))
	for _, key := range c.everyKey() {
		k := c.key(key)
		switch m := k.means[future]; {
		case m.ambiguous:
		case k.asked[future] != nil:
			check(principal.FromKey(key), k.asked[future].State == unit.Enabled)
		case m.account != nil && m.account.Key == key:
			check(principal.FromKey(key), m.account.Enabled)
		}
	}
	slices.Sort(found)
	return found
}

// inEscrow reports whether the password of an account is kept in a future: a rotation is desired, or was reported.
func (c *comparer) inEscrow(ref principal.Ref, future int) bool {
	if valueOf(c.desired[future], unit.RotationOf(ref)) != nil {
		return true
	}
	return slices.ContainsFunc(c.state.Rotation, func(r drift.Rotation) bool { return r.Target == ref })
}
