// Package words says in plain English what values, units and verdicts mean, so that client and
// console say the same thing.
package words

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
)

// Section is the heading under which a unit is shown.
func Section(unit resolve.UnitID) string {
	if _, ok := unit.LocalGroup(); ok {
		return "Local groups"
	}
	if unit == resolve.Lockout {
		return "Lockout"
	}
	return "Password rules"
}

// order is that in which units are shown: who may do everything first, numbers last.
var order = []resolve.UnitID{resolve.Lockout, resolve.MinLength, resolve.History, resolve.MaxAgeDays, resolve.MinAgeDays, resolve.Complexity}

// Compare orders units as a reader expects them: administrators, other local groups, lockout,
// password rules.
func Compare(a, b resolve.UnitID) int {
	place := func(u resolve.UnitID) int {
		if u == resolve.Administrators {
			return -2
		}
		return slices.Index(order, u) // -1 for local groups
	}
	return cmp.Or(cmp.Compare(place(a), place(b)), a.Compare(b))
}

var unitNames = map[resolve.UnitID]string{
	resolve.MinLength: "minimum length", resolve.History: "history", resolve.MaxAgeDays: "maximum age",
	resolve.MinAgeDays: "minimum age", resolve.Complexity: "complexity", resolve.Lockout: "lockout",
}

// Unit names a unit under its section.
func Unit(unit resolve.UnitID) string {
	if group, ok := unit.LocalGroup(); ok {
		return strings.ReplaceAll(group, "-", " ")
	}
	return unitNames[unit]
}

// Value says what a settled value, or a claim, asks for.
func Value(unit resolve.UnitID, value resolve.Value) string {
	switch v := value.(type) {
	case resolve.LockoutValue:
		return Lockout(policy.LockoutRule(v))
	case resolve.Members:
		return members(v)
	case resolve.Statement:
		return statement(v)
	case resolve.Bool:
		if v {
			return "three kinds of character"
		}
		return "any characters"
	case resolve.Int:
		return number(unit, int(v))
	}
	return "nothing"
}

func number(unit resolve.UnitID, n int) string {
	switch unit {
	case resolve.MinLength:
		return count(n, "character", "characters")
	case resolve.History:
		return fmt.Sprintf("%d remembered", n)
	case resolve.MaxAgeDays:
		if n == 0 {
			return "never expires"
		}
		return "expires after " + count(n, "day", "days")
	}
	if n == 0 {
		return "may change at once"
	}
	return "may change after " + count(n, "day", "days")
}

// Lockout says what the numbers do to a person who mistypes.
func Lockout(l policy.LockoutRule) string {
	if l.Threshold == 0 {
		return "never locks"
	}
	until := "until someone unlocks"
	if l.DurationMinutes > 0 {
		until = "for " + Minutes(l.DurationMinutes)
	}
	return fmt.Sprintf("after %s within %s, locked %s", count(l.Threshold, "wrong attempt", "wrong attempts"), Minutes(l.WindowMinutes), until)
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

func members(m resolve.Members) string {
	if m.Closed {
		if len(m.Present) == 0 {
			return "nobody"
		}
		return fmt.Sprintf("only %d: %s", len(m.Present), names(m.Present))
	}
	return adjust(m.Present, m.Absent)
}

func statement(s resolve.Statement) string {
	if s.Mode == policy.Exact {
		return members(resolve.Members{Closed: true, Present: s.Members})
	}
	return adjust(s.Members, s.Remove)
}

func adjust(in, out []principal.Ref) string {
	var parts []string
	if len(in) > 0 {
		parts = append(parts, "at least "+names(in))
	}
	if len(out) > 0 {
		parts = append(parts, "not "+names(out))
	}
	return strings.Join(parts, "; ")
}

func names(refs []principal.Ref) string {
	list := make([]string, len(refs))
	for i, ref := range refs {
		list[i] = Principal(ref)
	}
	return strings.Join(list, ", ")
}

// Principal names a principal for a reader.
func Principal(ref principal.Ref) string {
	if ref.Kind() == principal.Builtin {
		return "built-in " + ref.Value()
	}
	return ref.Value()
}

// Has says what a device has for a unit, as it reported.
func Has(unit resolve.UnitID, state drift.State) string {
	if name, ok := unit.LocalGroup(); ok {
		group, there := state.Group(name)
		if !there {
			return "no such local group"
		}
		if len(group.Members) == 0 {
			return "nobody"
		}
		list := make([]string, len(group.Members))
		for i, m := range group.Members {
			list[i] = Principal(state.Name(m.SID))
		}
		return fmt.Sprintf("%d: %s", len(list), strings.Join(list, ", "))
	}
	if unit == resolve.Lockout {
		if state.Lockout == nil {
			return "not reported"
		}
		return Lockout(*state.Lockout)
	}
	if value := state.Password(unit); value != nil {
		return Value(unit, value)
	}
	return "not reported"
}

// Finding says in one sentence what differs.
func Finding(f drift.Finding) string {
	subject := f.Subject
	if ref, err := principal.Parse(f.Subject); err == nil {
		subject = Principal(ref)
	}
	switch f.Kind {
	case drift.MemberExtra:
		return subject + " is a member, and nobody asked for it"
	case drift.MemberForbidden:
		return subject + " is a member, and must not be"
	case drift.MemberMissing:
		if f.Actual == drift.NoSuchAccount {
			return subject + " should be a member, and does not exist on the device"
		}
		return subject + " should be a member"
	case drift.GroupMissing:
		return "the local group does not exist on the device"
	case drift.UnitUnsupported:
		return "this device cannot carry it"
	case drift.ApplyFailed:
		if subject != "" {
			return fmt.Sprintf("the device could not change %s: %v", subject, f.Actual)
		}
		return fmt.Sprintf("the device could not change it: %v", f.Actual)
	}
	expected, _ := f.Expected.(resolve.Value)
	actual, ok := f.Actual.(resolve.Value)
	if !ok {
		return "not reported"
	}
	return fmt.Sprintf("%s instead of %s", Value(f.Unit, actual), Value(f.Unit, expected))
}

// Held says why a unit is held.
func Held(h resolve.Held) string {
	switch h.Why {
	case string(resolve.Contested):
		return "assignments of equal rank ask for different things; change the rank of one"
	case string(resolve.NoAdminPath):
		return "nobody in the closed group could be used; add a usable administrator"
	case string(resolve.MinAgeNotBelowMaxAge):
		return "the minimum age is not below the maximum age; change one of them"
	}
	return h.Why
}

// Why says how a unit was settled: who won, who lost, and why.
func Why(u resolve.Unit) string {
	from := strings.Join(u.From, " and ")
	switch u.Verdict {
	case resolve.Sole:
		return from + ", alone"
	case resolve.Agreed:
		if n := len(u.From) + len(u.Over); n > 2 {
			return fmt.Sprintf("%d assignments agree", n)
		}
		return strings.Join(append(append([]string{}, u.From...), losers(u.Over)...), " and ") + " agree"
	case resolve.Ranked:
		return from + " outranks " + strings.Join(losers(u.Over), ", ")
	case resolve.Stricter:
		return from + ", stricter than " + strings.Join(losers(u.Over), ", ") + " at equal rank"
	case resolve.Contested:
		return strings.Join(disputed(u.Over), " and ") + " differ at equal rank"
	}
	if m, ok := u.Value.(resolve.Members); ok && m.Closed {
		if n := len(u.Over); n > 0 {
			return fmt.Sprintf("%s closes the group; %d set aside", from, n)
		}
		return from + " close the group together"
	}
	return from + ", put together"
}

func losers(over []resolve.Lost) []string {
	list := make([]string, len(over))
	for i, l := range over {
		list[i] = l.Assignment
	}
	return list
}

func disputed(over []resolve.Lost) []string {
	var list []string
	for _, l := range over {
		if l.Why == resolve.Disputed {
			list = append(list, l.Assignment)
		}
	}
	return list
}

// Lost says why a claim did not decide.
func Lost(l resolve.Lost) string {
	switch l.Why {
	case resolve.Same:
		return "agrees"
	case resolve.Outranked:
		return "outranked"
	case resolve.LessStrict:
		return "less strict"
	case resolve.Closed:
		return "set aside, the group is closed"
	}
	return "contested"
}

func count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}
