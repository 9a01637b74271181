package whatif

import (
	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// Holds are the local groups of a device, of those whose members can take it over, that somebody is in.
func Holds(state *drift.State, who principal.SID) (groups []string) {
	for _, g := range state.LocalGroups {
		if unit.IsPrivileged(g.PolicyName()) && g.Has(who) {
			groups = append(groups, g.PolicyName())
		}
	}
	return groups
}

// OnlyBy reports whether nobody but one can get into a device as an administrator: nobody else is in administrators but
// accounts that are disabled.
func OnlyBy(state *drift.State, who principal.SID) bool {
	group, there := state.Group(unit.GroupAdministrators)
	if !there || !group.Has(who) {
		return false
	}
	disabled := map[principal.SID]bool{}
	for _, a := range state.Accounts {
		disabled[a.SID] = !a.Enabled
	}
	for _, m := range group.Members {
		if m.SID != who && !disabled[m.SID] {
			return false
		}
	}
	return true
}
