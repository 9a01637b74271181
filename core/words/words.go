// Package words says in plain English what values, units, verdicts and problems mean, so that client
// and console say the same thing.
package words

import (
	"cmp"
	"fmt"
	"strings"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
)

// families in the order in which their units are shown: who may do everything first, numbers last.
var families = []struct {
	family  resolve.Family
	section string
}{
	{resolve.Membership, "Local groups"},
	{resolve.Accounts, "Managed accounts"},
	{resolve.Rotation, "Rotation"},
	{resolve.Builtins, "Built-in accounts"},
	{resolve.Locking, "Lockout"},
	{resolve.Passwords, "Password rules"},
}

// Section is the heading under which a unit is shown.
func Section(unit resolve.UnitID) string { return families[family(unit)].section }

func family(unit resolve.UnitID) int {
	for i, f := range families {
		if f.family == unit.Family() {
			return i
		}
	}
	return len(families) - 1
}

// places are the positions of units within a section where the alphabet is not the best order.
var places = map[resolve.UnitID]int{
	resolve.Administrators: -1,
	resolve.MinLength:      1, resolve.History: 2, resolve.MaxAgeDays: 3, resolve.MinAgeDays: 4, resolve.Complexity: 5,
}

// Compare orders units as a reader expects them: administrators, other local groups, managed
// accounts, rotation, built-in accounts, lockout, password rules.
func Compare(a, b resolve.UnitID) int {
	return cmp.Or(cmp.Compare(family(a), family(b)), cmp.Compare(places[a], places[b]), a.Compare(b))
}

var unitNames = map[resolve.UnitID]string{
	resolve.MinLength: "minimum length", resolve.History: "history", resolve.MaxAgeDays: "maximum age",
	resolve.MinAgeDays: "minimum age", resolve.Complexity: "complexity", resolve.Lockout: "lockout",
	resolve.EveryUnit: "every unit",
}

// Unit names a unit under its section.
func Unit(unit resolve.UnitID) string {
	if group, ok := unit.LocalGroup(); ok {
		return strings.ReplaceAll(group, "-", " ")
	}
	if key, ok := unit.AccountKey(); ok {
		return key
	}
	if target, ok := unit.Target(); ok {
		if target == principal.Administrator {
			return "built-in administrator"
		}
		return target.Value()
	}
	if account, property, ok := unit.Builtin(); ok {
		return account.Value() + ", " + strings.ReplaceAll(property, "_", " ")
	}
	return unitNames[unit]
}

// Principal names a principal for a reader.
func Principal(ref principal.Ref) string {
	switch ref.Kind() {
	case principal.Builtin:
		return "built-in " + ref.Value()
	case principal.Account:
		return "managed " + ref.Value()
	}
	return ref.Value()
}

func names(refs []principal.Ref) string {
	list := make([]string, len(refs))
	for i, ref := range refs {
		list[i] = Principal(ref)
	}
	return strings.Join(list, ", ")
}

// Minutes writes a number of minutes in the largest unit that divides it.
func Minutes(n int) string {
	switch {
	case n != 0 && n%(24*60) == 0:
		return count(n/(24*60), "day", "days")
	case n != 0 && n%60 == 0:
		return count(n/60, "hour", "hours")
	}
	return fmt.Sprintf("%d min", n)
}

func count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}
