// Package words says in plain English what values, units, verdicts and problems mean, so that client
// and console say the same thing.
package present

import (
	"cmp"
	"fmt"
	"strings"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// families in the order in which their units are shown: who may do everything first, numbers last.
var families = []struct {
	family  unit.Family
	section string
}{
	{unit.Membership, "Local groups"},
	{unit.Accounts, "Managed accounts"},
	{unit.Rotation, "Rotation"},
	{unit.Builtins, "Built-in accounts"},
	{unit.Identity, "Device"},
	{unit.Locking, "Lockout"},
	{unit.Passwords, "Password rules"},
}

// Section is the heading under which a unit is shown.
func Section(id unit.ID) string { return families[family(id)].section }

func family(id unit.ID) int {
	for i, f := range families {
		if f.family == id.Family() {
			return i
		}
	}
	return len(families) - 1
}

// places are the positions of units within a section where the alphabet is not the best order.
var places = map[unit.ID]int{
	unit.Administrators: -1,
	unit.MinLength:      1, unit.History: 2, unit.MaxAgeDays: 3, unit.MinAgeDays: 4, unit.Complexity: 5,
}

// Compare orders units as a reader expects them: administrators, other local groups, managed
// accounts, rotation, built-in accounts, lockout, password rules.
func Compare(a, b unit.ID) int {
	return cmp.Or(cmp.Compare(family(a), family(b)), cmp.Compare(places[a], places[b]), a.Compare(b))
}

var unitNames = map[unit.ID]string{
	unit.MinLength: "minimum length", unit.History: "history", unit.MaxAgeDays: "maximum age",
	unit.MinAgeDays: "minimum age", unit.Complexity: "complexity", unit.Lockout: "lockout",
	unit.DeviceName: "name of the device", unit.Others: "other accounts",
	{}: "every setting",
}

// Unit names a unit under its section.
func Unit(id unit.ID) string {
	if group, ok := id.LocalGroup(); ok {
		return strings.ReplaceAll(group, "-", " ")
	}
	if key, ok := id.AccountKey(); ok {
		return key
	}
	if target, ok := id.Target(); ok {
		if target == principal.Administrator {
			return "built-in administrator"
		}
		return target.Value()
	}
	if account, property, ok := id.Builtin(); ok {
		return account.Value() + ", " + strings.ReplaceAll(string(property), "_", " ")
	}
	return unitNames[id]
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
