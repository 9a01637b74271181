package resolve

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
)

// UnitID names the smallest thing that overlap is decided for, such as passwords.min_length or
// membership.administrators. The zero UnitID is invalid.
type UnitID struct{ text string }

// The units with fixed names.
var (
	MinLength  = UnitID{"passwords.min_length"}
	History    = UnitID{"passwords.history"}
	MaxAgeDays = UnitID{"passwords.max_age_days"}
	MinAgeDays = UnitID{"passwords.min_age_days"}
	Complexity = UnitID{"passwords.complexity"}
	Lockout    = UnitID{"lockout"}
)

const membershipPrefix = "membership."

// Administrators is the unit of the local group administrators.
var Administrators = MembershipOf(policy.Administrators)

// MembershipOf is the unit of a local group, named in canonical case.
func MembershipOf(localGroup string) UnitID { return UnitID{membershipPrefix + localGroup} }

// LocalGroup is the group of a membership unit.
func (u UnitID) LocalGroup() (name string, ok bool) {
	return strings.CutPrefix(u.text, membershipPrefix)
}

func (u UnitID) String() string { return u.text }

// Compare orders units by the bytes of their names.
func (u UnitID) Compare(other UnitID) int { return cmp.Compare(u.text, other.text) }

// ErrUnit is matched by the errors for a unit that does not exist.
var ErrUnit = errors.New("unknown unit")

// ParseUnit reads the name of a unit.
func ParseUnit(s string) (UnitID, error) {
	unit := UnitID{s}
	switch unit {
	case MinLength, History, MaxAgeDays, MinAgeDays, Complexity, Lockout:
		return unit, nil
	}
	if group, ok := unit.LocalGroup(); ok && group != "" {
		return unit, nil
	}
	return UnitID{}, fmt.Errorf("%w %q", ErrUnit, s)
}

// MarshalText writes the name.
func (u UnitID) MarshalText() ([]byte, error) { return []byte(u.text), nil }

// UnmarshalText reads what [ParseUnit] reads.
func (u *UnitID) UnmarshalText(b []byte) error {
	unit, err := ParseUnit(string(b))
	if err == nil {
		*u = unit
	}
	return err
}

// Value is what a unit is asked to be or has been settled to. It is one of [Int], [Bool],
// [LockoutValue], [Statement] (a claim on a local group) and [Members] (a settled local group).
type Value interface {
	// Equal compares exactly, case included.
	Equal(other Value) bool
}

// Int is the value of a password rule that counts something.
type Int int

// Equal implements [Value].
func (v Int) Equal(other Value) bool { return v == other }

// Bool is the value of a rule that is on or off.
type Bool bool

// Equal implements [Value].
func (v Bool) Equal(other Value) bool { return v == other }

// LockoutValue is the value of the lockout block; durations are in minutes.
type LockoutValue policy.LockoutRule

// Equal implements [Value].
func (v LockoutValue) Equal(other Value) bool { return v == other }

// MarshalJSON writes the rule as [policy.LockoutRule] does.
func (v LockoutValue) MarshalJSON() ([]byte, error) { return json.Marshal(policy.LockoutRule(v)) }

// Statement is a claim on a local group. Lists are sorted and never nil.
type Statement struct {
	Mode    policy.Mode     `json:"mode"`
	Members []principal.Ref `json:"members"`
	Remove  []principal.Ref `json:"remove"`
}

// Equal implements [Value].
func (v Statement) Equal(other Value) bool {
	o, ok := other.(Statement)
	return ok && v.Mode == o.Mode && equal(v.Members, o.Members) && equal(v.Remove, o.Remove)
}

// Members is a settled local group. In a closed group nobody but the present principals may be a
// member, and Absent is empty. Lists are sorted and never nil.
type Members struct {
	Closed  bool            `json:"closed"`
	Present []principal.Ref `json:"present"`
	Absent  []principal.Ref `json:"absent"`
}

// Equal implements [Value].
func (v Members) Equal(other Value) bool {
	o, ok := other.(Members)
	return ok && v.Closed == o.Closed && equal(v.Present, o.Present) && equal(v.Absent, o.Absent)
}

func equal(a, b []principal.Ref) bool {
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if a[i] != b[i] {
			return false
		}
	}
	return true
}

// DecodeValue reads the settled value of a unit from JSON, as it was written in a [Setting].
func DecodeValue(unit UnitID, data []byte) (Value, error) {
	var err error
	read := func(into any) {
		if err = json.Unmarshal(data, into); err != nil {
			err = fmt.Errorf("value of %s: %w", unit, err)
		}
	}
	if _, ok := unit.LocalGroup(); ok {
		m := Members{Present: []principal.Ref{}, Absent: []principal.Ref{}}
		read(&m)
		return m, err
	}
	switch unit {
	case Complexity:
		var b Bool
		read(&b)
		return b, err
	case Lockout:
		var l policy.LockoutRule
		read(&l)
		return LockoutValue(l), err
	}
	var i Int
	read(&i)
	return i, err
}
