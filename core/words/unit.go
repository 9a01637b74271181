package words

import (
	"fmt"
	"slices"
	"strings"

	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/text"
)

// shown are the units that every organisation has, by the names under which a reader meets them.
var shown = func() map[string]resolve.UnitID {
	units := []resolve.UnitID{resolve.MinLength, resolve.History, resolve.MaxAgeDays, resolve.MinAgeDays, resolve.Complexity, resolve.Lockout,
		resolve.RotationOf(principal.Administrator)}
	for group := range policy.KnownLocalGroups {
		units = append(units, resolve.MembershipOf(group))
	}
	for _, account := range []principal.Ref{principal.Administrator, principal.Guest} {
		for _, property := range []string{resolve.BuiltinName, resolve.BuiltinEnabled, resolve.BuiltinFullName, resolve.BuiltinDescription} {
			units = append(units, resolve.BuiltinOf(account, property))
		}
	}
	names := map[string]resolve.UnitID{}
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
func ParseUnit(s string) (resolve.UnitID, error) {
	folded := text.Fold(strings.TrimSpace(s))
	if unit, ok := shown[folded]; ok {
		return unit, nil
	}
	if unit, err := resolve.ParseUnit(folded); err == nil {
		return unit, nil
	}
	for prefix, of := range map[string]func(key string) resolve.UnitID{
		"managed account ": resolve.AccountOf,
		"rotation of ":     func(key string) resolve.UnitID { return resolve.RotationOf(principal.FromKey(key)) },
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
	hint := "write it as it is shown, such as administrators, or as in a policy, such as membership.administrators or accounts.KEY"
	if near := text.Nearest(folded, names); near != "" {
		hint = fmt.Sprintf("did you mean %q?", near)
	}
	return resolve.UnitID{}, fmt.Errorf("there is no setting %q; %s", s, hint)
}
