package present

import (
	"fmt"
	"slices"
	"strings"

	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
)

// shown are the units that every organisation has, by the names under which a reader meets them.
var shown = func() map[string]unit.ID {
	units := []unit.ID{unit.MinLength, unit.History, unit.MaxAgeDays, unit.MinAgeDays, unit.Complexity, unit.Lockout,
		unit.RotationOf(principal.Administrator)}
	for group := range unit.KnownLocalGroups {
		units = append(units, unit.MembershipOf(group))
	}
	for _, account := range []principal.Ref{principal.Administrator, principal.Guest} {
		for _, property := range unit.Properties {
			units = append(units, unit.BuiltinOf(account, property))
		}
	}
	names := map[string]unit.ID{}
	for _, u := range units {
		names[u.String()], names[Unit(u)], names[UnitInFull(u)] = u, u, u
		if group, ok := u.LocalGroup(); ok {
			names[group] = u
		}
	}
	return names
}()

// ParseUnit reads a setting as it is written in documents, such as membership.administrators, or as it is
// shown, such as "administrators". Its error names the nearest one that there is.
func ParseUnit(s string) (unit.ID, error) {
	folded := text.Fold(strings.TrimSpace(s))
	if id, ok := shown[folded]; ok {
		return id, nil
	}
	if id, err := unit.Parse(folded); err == nil {
		return id, nil
	}
	for prefix, of := range map[string]func(key string) unit.ID{
		"managed account ": unit.AccountOf,
		"rotation of ":     func(key string) unit.ID { return unit.RotationOf(principal.FromKey(key)) },
	} {
		if key, ok := strings.CutPrefix(folded, prefix); ok && policy.ValidName(key) {
			return of(key), nil
		}
	}
	names := make([]string, 0, len(shown))
	for name := range shown {
		names = append(names, name)
	}
	slices.Sort(names)
	hint := "write it as it is shown, such as administrators, or as in a policy, such as membership.administrators " +
		"or accounts.KEY"
	if near := text.Nearest(folded, names); near != "" {
		hint = fmt.Sprintf("did you mean %q?", near)
	}
	return unit.ID{}, fmt.Errorf("there is no setting %q; %s", s, hint)
}
