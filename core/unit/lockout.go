package unit

import (
	"cmp"
	"encoding/json"
)

// Lockout is the lockout after wrong passwords, the only setting of its family.
var Lockout = named(Locking, "")

// Limits of the operating systems.
const (
	MaxThreshold   = 999    // wrong attempts
	MaxLockoutMins = 99_999 // minutes
)

// LockoutRule says when an account locks after wrong passwords. A threshold of 0 means never, and the times say
// nothing then; a duration of 0 means until someone unlocks.
type LockoutRule struct {
	Threshold       int `json:"threshold"` // wrong attempts
	DurationMinutes int `json:"duration_minutes"`
	WindowMinutes   int `json:"window_minutes"` // after which the counter starts again
}

// LockoutValue is a [LockoutRule] as the value of a setting, with every default filled in.
type LockoutValue LockoutRule

// Equal implements [Value].
func (v LockoutValue) Equal(other Value) bool { return v == other }

// MarshalJSON writes only the threshold when accounts never lock.
func (v LockoutValue) MarshalJSON() ([]byte, error) {
	if v.Threshold == 0 {
		return []byte(`{"threshold":0}`), nil
	}
	return json.Marshal(LockoutRule(v))
}

var lockout = family{
	name:  "lockout",
	valid: func(key string) bool { return key == "" },
	decode: func(id ID, data []byte) (Value, error) {
		v, err := decode(id, data, LockoutRule{})
		return LockoutValue(v), err
	},
	order: func(_ ID, a, b Value) (int, bool) {
		x, y := a.(LockoutValue), b.(LockoutValue)
		return cmp.Or(
			cmp.Compare(zeroLast(y.Threshold), zeroLast(x.Threshold)),
			cmp.Compare(zeroLast(x.DurationMinutes), zeroLast(y.DurationMinutes)),
			cmp.Compare(x.WindowMinutes, y.WindowMinutes),
		), true
	},
}
