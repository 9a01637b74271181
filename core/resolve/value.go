package resolve

import (
	"encoding/json"
	"fmt"
	"slices"

	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
)

// Value is what a unit is asked to be or has been settled to. It is one of [Int], [Bool], [Text],
// [LockoutValue], [AccountValue], [RotationValue], [Statement] (a claim on a local group) and
// [Members] (a settled local group).
type Value interface {
	// Equal compares exactly, case included.
	Equal(other Value) bool
}

// Int is the value of a password rule that counts something.
type Int int

// Equal implements [Value].
func (v Int) Equal(other Value) bool { return v == other }

// Bool is the value of what is on or off.
type Bool bool

// Equal implements [Value].
func (v Bool) Equal(other Value) bool { return v == other }

// Text is a name or description of a built-in account.
type Text string

// Equal implements [Value].
func (v Text) Equal(other Value) bool { return v == other }

// LockoutValue is the value of the lockout block; durations are in minutes.
type LockoutValue policy.LockoutRule

// Equal implements [Value].
func (v LockoutValue) Equal(other Value) bool { return v == other }

// MarshalJSON writes only the threshold when accounts never lock: the times say nothing then.
func (v LockoutValue) MarshalJSON() ([]byte, error) {
	if v.Threshold == 0 {
		return []byte(`{"threshold":0}`), nil
	}
	return json.Marshal(policy.LockoutRule(v))
}

// AccountValue is a managed account: the block of the policy without key and local groups.
type AccountValue policy.AccountRule

// Equal implements [Value].
func (v AccountValue) Equal(other Value) bool {
	o, ok := other.(AccountValue)
	return ok && v.Name == o.Name && v.State == o.State && v.FullName == o.FullName &&
		v.Description == o.Description && v.PasswordExpires == o.PasswordExpires && slices.Equal(v.Formerly, o.Formerly)
}

// RotationValue is how a password changes: the block of the policy without its target.
type RotationValue policy.RotationRule

// Equal implements [Value].
func (v RotationValue) Equal(other Value) bool {
	o, ok := other.(RotationValue)
	if !ok || v.EveryMinutes != o.EveryMinutes || v.AfterUse != o.AfterUse || v.RedrawName != o.RedrawName || v.Keep != o.Keep {
		return false
	}
	if (v.AfterRevealMinutes == nil) != (o.AfterRevealMinutes == nil) || v.AfterRevealMinutes != nil && *v.AfterRevealMinutes != *o.AfterRevealMinutes {
		return false
	}
	a, b := v.Secret, o.Secret
	if a.Style != b.Style || a.Style == policy.Words {
		return a.Style == b.Style && a.Words == b.Words
	}
	return a.Length == b.Length && a.AvoidLookalikes == b.AvoidLookalikes && slices.Equal(a.Use, b.Use)
}

// Statement is a claim on a local group. Lists are sorted and never nil.
type Statement struct {
	Mode    policy.Mode     `json:"mode"`
	Members []principal.Ref `json:"members"`
	Remove  []principal.Ref `json:"remove"`
}

// Equal implements [Value].
func (v Statement) Equal(other Value) bool {
	o, ok := other.(Statement)
	return ok && v.Mode == o.Mode && slices.Equal(v.Members, o.Members) && slices.Equal(v.Remove, o.Remove)
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
	return ok && v.Closed == o.Closed && slices.Equal(v.Present, o.Present) && slices.Equal(v.Absent, o.Absent)
}

// Has reports whether the principal is to be a member.
func (v Members) Has(ref principal.Ref) bool {
	_, found := slices.BinarySearchFunc(v.Present, ref, principal.Compare)
	return found
}

// DecodeValue reads the settled value of a unit from JSON, as it was written in a [Setting].
func DecodeValue(unit UnitID, data []byte) (Value, error) {
	switch unit.Family() {
	case Membership:
		return decode(unit, data, Members{Present: []principal.Ref{}, Absent: []principal.Ref{}})
	case Accounts:
		v, err := decode(unit, data, policy.AccountRule{})
		v.Key, _ = unit.AccountKey()
		return AccountValue(v), err
	case Rotation:
		v, err := decode(unit, data, policy.RotationRule{})
		v.Target, _ = unit.Target()
		return RotationValue(v), err
	case Locking:
		v, err := decode(unit, data, policy.LockoutRule{})
		return LockoutValue(v), err
	case Builtins:
		if _, property, _ := unit.Builtin(); property != BuiltinEnabled {
			return decode(unit, data, Text(""))
		}
		return decode(unit, data, Bool(false))
	}
	if unit == Complexity {
		return decode(unit, data, Bool(false))
	}
	return decode(unit, data, Int(0))
}

// decodeClaim reads what one assignment asked for.
func decodeClaim(unit UnitID, data []byte) (Value, error) {
	if unit.Family() == Membership {
		return decode(unit, data, Statement{Members: []principal.Ref{}, Remove: []principal.Ref{}})
	}
	return DecodeValue(unit, data)
}

func decode[T any](unit UnitID, data []byte, into T) (T, error) {
	if err := json.Unmarshal(data, &into); err != nil {
		return into, fmt.Errorf("value of %s: %w", unit, err)
	}
	return into, nil
}
