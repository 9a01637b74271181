package unit

import (
	"encoding/json"
	"fmt"
	"slices"
)

// Value is what a setting is asked to be or has been settled to. It is one of [Int], [Bool], [Text],
// [LockoutValue], [AccountValue], [OthersValue], [RotationValue], [Statement] (a claim on a local group) and
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

// Setting is one setting with its settled value.
type Setting struct {
	Unit  ID    `json:"unit"`
	Value Value `json:"value"`
}

// UnmarshalJSON reads a setting; the unit says what its value is. Its errors are those of [Parse] and [Decode].
func (s *Setting) UnmarshalJSON(data []byte) error {
	var raw struct {
		Unit  ID              `json:"unit"`
		Value json.RawMessage `json:"value"`
	}
	if err := json.Unmarshal(data, &raw); err != nil {
		return err
	}
	value, err := Decode(raw.Unit, raw.Value)
	if err == nil {
		*s = Setting{raw.Unit, value}
	}
	return err
}

// Decode reads the settled value of a setting from JSON, as it was written in a [Setting]. The error names the setting;
// it matches [ErrUnknown] for the zero ID.
func Decode(id ID, data []byte) (Value, error) {
	if id.IsZero() {
		return nil, fmt.Errorf("%w: it has no name", ErrUnknown)
	}
	return catalogue[id.family].decode(id, data)
}

// DecodeClaim reads what one assignment claims for a setting, with the errors of [Decode].
func DecodeClaim(id ID, data []byte) (Value, error) {
	if claim := catalogue[id.family].claim; claim != nil {
		return claim(id, data)
	}
	return Decode(id, data)
}

func decode[T any](id ID, data []byte, into T) (T, error) {
	if err := json.Unmarshal(data, &into); err != nil {
		return into, fmt.Errorf("value of %s: %w", id, err)
	}
	return into, nil
}

// Strictness is positive when a is stricter than b, negative when b is. Comparable is false when the
// setting has no order of strictness.
func Strictness(id ID, a, b Value) (order int, comparable bool) {
	if compare := catalogue[id.family].order; compare != nil {
		return compare(id, a, b)
	}
	return 0, false
}

// zeroLast puts 0 after every other number: 0 means never, or without end.
func zeroLast(n int) int {
	if n == 0 {
		return int(^uint(0) >> 1)
	}
	return n
}

func asInt(b Bool) int {
	if b {
		return 1
	}
	return 0
}

// ValueOf is the value of a unit among settings that are sorted by unit, nil where it is not among them.
func ValueOf(settings []Setting, id ID) Value {
	at, found := slices.BinarySearchFunc(settings, id, func(s Setting, u ID) int { return s.Unit.Compare(u) })
	if !found {
		return nil
	}
	return settings[at].Value
}
