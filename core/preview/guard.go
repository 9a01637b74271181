package preview

import (
	"math"
	"slices"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/effect"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// administratorEnabled is whether the built-in administrator is enabled.
var administratorEnabled = unit.BuiltinOf(principal.Administrator, unit.BuiltinEnabled)

// guard sees whether a break-glass account is left in administrators.
func (c *comparer) guard() {
	group, there := c.state.Group(unit.GroupAdministrators)
	if !there {
		return
	}
	if c.administrators == nil {
		c.administrators = &[2][]identity{
			c.membersOf(unit.Administrators, &group, without), c.membersOf(unit.Administrators, &group, with),
		}
	}
	if len(c.breakGlass(with, 1)) > 0 {
		return
	}
	before := c.breakGlass(without, math.MaxInt)
	leaves := func(e effect.Effect) bool { return e.Unit == unit.Administrators && e.Kind == effect.MemberLeaves }
	switch {
	case len(before) > 0:
		c.add(unit.Administrators, effect.GuardRefuses, "", before, nil)
	case slices.ContainsFunc(c.effects, leaves):
		c.add(unit.Administrators, effect.NoWayIn, "", nil, nil)
	}
}

// breakGlass are the accounts of the device itself that let somebody in without a network, in a future: members of
// administrators that are enabled and whose password is in escrow. Not more than most are looked for.
func (c *comparer) breakGlass(future, most int) []string {
	members := c.administrators[future]
	var found []string
	check := func(ref principal.Ref, enabled bool) {
		if len(found) < most && enabled && c.inEscrow(ref, future) &&
			slices.Contains(members, c.identify(ref, future)) {
			found = append(found, ref.String())
		}
	}
	enabled, _ := c.ruleValue(administratorEnabled, unit.ValueOf(c.desired[future], administratorEnabled)).(unit.Bool)
	check(principal.Administrator, bool(enabled))
	ofKey := func(key string) {
		k := c.key(key)
		switch m := k.means[future]; {
		case m.ambiguous:
		case k.asked[future] != nil:
			check(principal.FromKey(key), k.asked[future].State == unit.Enabled && k.asked[future].ExpiresOn == "")
		case m.account != nil && m.account.Key == key:
			check(principal.FromKey(key), m.account.Enabled && !c.isDisabledAsOther(m.account, future))
		}
	}
	for i := range c.accounts {
		ofKey(c.accounts[i].key)
	}
	for i := range c.state.Accounts {
		if key := c.state.Accounts[i].Key; key != "" && c.asks(key) == nil {
			ofKey(key)
		}
	}
	slices.Sort(found)
	return found
}

// inEscrow reports whether the password of an account is kept in a future: a rotation is desired, or was reported.
func (c *comparer) inEscrow(ref principal.Ref, future int) bool {
	if slices.Contains(c.rotated[future], ref) {
		return true
	}
	return slices.ContainsFunc(c.state.Rotation, func(r drift.Rotation) bool { return r.Target == ref })
}
