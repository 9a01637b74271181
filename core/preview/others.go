package preview

import (
	"slices"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/effect"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// others finds the accounts that no policy names with the change, and that are therefore disabled when their grace is
// over. One that something runs as is spared.
func (c *comparer) others() {
	if c.nobody[with] == nil {
		return
	}
	for i := range c.state.Accounts {
		a := &c.state.Accounts[i]
		if c.isDisabledAsOther(a, with) && !c.isDisabledAsOther(a, without) {
			c.add(unit.Others, effect.AccountDisabled, principal.FromLocal(a.Name).String(), nil, nil)
		}
	}
}

func (c *comparer) isDisabledAsOther(a *drift.Account, future int) bool {
	return a.Enabled && c.nobody[future] != nil && c.nobody[future].Has(a) && len(c.state.RunsAs(a.SID)) == 0
}

// isAdministrator reports whether an account of the device is in a privileged local group now.
func (c *comparer) isAdministrator(subject string) bool {
	ref, err := principal.Parse(subject)
	sid := c.state.Find(ref, nil, c.directory)
	return err == nil && slices.ContainsFunc(c.state.LocalGroups, func(g drift.LocalGroup) bool {
		return unit.IsPrivileged(g.PolicyName()) && g.Has(sid)
	})
}
