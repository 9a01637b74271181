package host

import (
	"maps"
	"slices"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// LinuxLimits are what no workstation with Linux carries out, whatever is installed on it.
func LinuxLimits() []drift.Limit {
	limits := []drift.Limit{{
		Setting:  unit.BuiltinOf(principal.Administrator, unit.BuiltinName),
		ReadOnly: true,
		Why:      "calls its built-in administrator root, whatever a policy says",
	}, {
		Family: unit.Accounts, Detail: unit.DetailPasswordFixed,
		Why: "lets everybody who signs in change the own password",
	}}
	for _, property := range unit.Properties {
		limits = append(limits, drift.Limit{Setting: unit.BuiltinOf(principal.Guest, property),
			Why: "has no built-in guest"})
	}
	for _, name := range slices.Sorted(maps.Keys(unit.KnownLocalGroups)) {
		if name != unit.GroupAdministrators {
			limits = append(limits, drift.Limit{Setting: unit.MembershipOf(name),
				Why: "has no local group of that kind"})
		}
	}
	return limits
}
