package resolve

import (
	"cmp"
	"errors"
	"fmt"
	"strings"

	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
)

// UnitID names the smallest thing that overlap is decided for, such as passwords.min_length,
// accounts.desk-keeper or membership.administrators. The zero UnitID is invalid.
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

// The properties of a built-in account that are units.
const (
	BuiltinName        = "name"
	BuiltinEnabled     = "enabled"
	BuiltinFullName    = "full_name"
	BuiltinDescription = "description"
)

// EveryUnit stands for all units of a device, among those that a [Problem] holds.
var EveryUnit = UnitID{"*"}

// Family is the section of a policy that a unit belongs to.
type Family string

// The families of units.
const (
	Accounts   Family = "accounts"
	Builtins   Family = "builtins"
	Locking    Family = "lockout"
	Membership Family = "membership"
	Passwords  Family = "passwords"
	Rotation   Family = "rotation"
)

// Administrators is the unit of the local group administrators.
var Administrators = MembershipOf(policy.Administrators)

// MembershipOf is the unit of a local group, named in canonical case.
func MembershipOf(localGroup string) UnitID { return UnitID{"membership." + localGroup} }

// AccountOf is the unit of a managed account.
func AccountOf(key string) UnitID { return UnitID{"accounts." + key} }

// RotationOf is the unit of the rotation of an account.
func RotationOf(target principal.Ref) UnitID { return UnitID{"rotation." + target.String()} }

// BuiltinOf is the unit of one property of a built-in account.
func BuiltinOf(account principal.Ref, property string) UnitID {
	return UnitID{"builtins." + account.Value() + "." + property}
}

// Family is the section the unit belongs to.
func (u UnitID) Family() Family {
	family, _, _ := strings.Cut(u.text, ".")
	return Family(family)
}

// LocalGroup is the group of a membership unit.
func (u UnitID) LocalGroup() (name string, ok bool) { return strings.CutPrefix(u.text, "membership.") }

// AccountKey is the key of the account of an accounts unit.
func (u UnitID) AccountKey() (key string, ok bool) { return strings.CutPrefix(u.text, "accounts.") }

// Target is the account of a rotation unit.
func (u UnitID) Target() (target principal.Ref, ok bool) {
	written, ok := strings.CutPrefix(u.text, "rotation.")
	if !ok {
		return principal.Ref{}, false
	}
	if key, managed := strings.CutPrefix(written, "account:"); managed {
		return principal.FromKey(key), true
	}
	return principal.Administrator, true
}

// Builtin is the account and the property of a builtins unit.
func (u UnitID) Builtin() (account principal.Ref, property string, ok bool) {
	written, ok := strings.CutPrefix(u.text, "builtins.")
	if !ok {
		return principal.Ref{}, "", false
	}
	name, property, _ := strings.Cut(written, ".")
	if name == principal.Guest.Value() {
		return principal.Guest, property, true
	}
	return principal.Administrator, property, true
}

func (u UnitID) String() string { return u.text }

// Compare orders units by the bytes of their names.
func (u UnitID) Compare(other UnitID) int { return cmp.Compare(u.text, other.text) }

// ErrUnit is matched by the errors for a unit that does not exist.
var ErrUnit = errors.New("unknown unit")

// ParseUnit reads the name of a unit.
func ParseUnit(s string) (UnitID, error) {
	if validUnit(UnitID{s}) {
		return UnitID{s}, nil
	}
	return UnitID{}, fmt.Errorf("%w %q", ErrUnit, s)
}

func validUnit(u UnitID) bool {
	switch u {
	case MinLength, History, MaxAgeDays, MinAgeDays, Complexity, Lockout, EveryUnit:
		return true
	}
	if group, ok := u.LocalGroup(); ok {
		return group != "" && text.CheckVisible(group) == nil
	}
	if key, ok := u.AccountKey(); ok {
		return policy.ValidName(key)
	}
	if target, ok := u.Target(); ok {
		return RotationOf(target) == u && (target == principal.Administrator || policy.ValidName(target.Value()))
	}
	if account, property, ok := u.Builtin(); ok {
		switch property {
		case BuiltinName, BuiltinEnabled, BuiltinFullName, BuiltinDescription:
			return BuiltinOf(account, property) == u
		}
	}
	return false
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
