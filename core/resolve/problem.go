package resolve

import (
	"cmp"
	"slices"

	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
)

// Code names a problem of the settled whole.
type Code string

// The problems.
const (
	// NoAdminPath: administrators is closed and nobody in it could be used.
	NoAdminPath Code = "no_admin_path"
	// MinAgeNotBelowMaxAge: passwords could never be changed before they expire.
	MinAgeNotBelowMaxAge Code = "min_age_not_below_max_age"
	// NoBreakGlass: administrators is closed and nobody in it works without a network.
	NoBreakGlass Code = "no_break_glass"
)

// Problem is something wrong with the settled whole, though each unit for itself is well settled.
type Problem struct {
	Code     Code            `json:"code"`
	Severity policy.Severity `json:"severity"`
	Unit     string          `json:"unit"`
	Detail   string          `json:"detail"`
	Holds    []UnitID        `json:"holds"` // units of the lane that may not change because of it, sorted
}

func check(units []Unit) []Problem {
	problems := []Problem{}
	settled := map[UnitID]Value{}
	for _, u := range units {
		if u.Value != nil {
			settled[u.Unit] = u.Value
		}
	}
	report := func(code Code, severity policy.Severity, unit UnitID, holds ...UnitID) {
		if holds == nil {
			holds = []UnitID{}
		}
		problems = append(problems, Problem{code, severity, unit.String(), "", holds})
	}
	if m, ok := settled[Administrators].(Members); ok && m.Closed {
		if !slices.ContainsFunc(m.Present, usable) {
			report(NoAdminPath, policy.Error, Administrators, Administrators)
		}
		// No principal of this version is break-glass: that takes an account with a rotation.
		report(NoBreakGlass, policy.Warning, Administrators)
	}
	least, hasMin := settled[MinAgeDays].(Int)
	most, hasMax := settled[MaxAgeDays].(Int)
	if hasMin && hasMax && most != 0 && least >= most {
		report(MinAgeNotBelowMaxAge, policy.Error, MinAgeDays, MaxAgeDays, MinAgeDays)
	}
	slices.SortFunc(problems, func(a, b Problem) int {
		return cmp.Or(cmp.Compare(a.Code, b.Code), cmp.Compare(a.Unit, b.Unit), cmp.Compare(a.Detail, b.Detail))
	})
	return problems
}

// usable reports whether somebody could sign in as the principal. A built-in account is usable
// only with a rotation, which nothing asks for yet.
func usable(ref principal.Ref) bool {
	return ref.Kind() == principal.Bare || ref.Kind() == principal.Local
}
