package unit

import "cmp"

// The password rules.
var (
	MinLength  = named(Passwords, "min_length")
	History    = named(Passwords, "history")
	MaxAgeDays = named(Passwords, "max_age_days")
	MinAgeDays = named(Passwords, "min_age_days")
	Complexity = named(Passwords, "complexity")
)

// Limits of the operating systems.
const (
	MaxMinLength = 128 // characters
	// SureMinLength is the greatest minimum length that every build of Windows takes, in characters.
	SureMinLength = 14
	// LeastLinuxLength is the least minimum length that pam_pwquality has, whatever it is told, in characters.
	LeastLinuxLength = 6
	MaxHistory       = 24 // passwords
	MaxMaxAgeDays    = 999
	MaxMinAgeDays    = 998
)

var passwords = family{
	name: "passwords",
	valid: func(key string) bool {
		switch named(Passwords, key) {
		case MinLength, History, MaxAgeDays, MinAgeDays, Complexity:
			return true
		}
		return false
	},
	decode: func(id ID, data []byte) (Value, error) {
		if id == Complexity {
			return decode(id, data, Bool(false))
		}
		return decode(id, data, Int(0))
	},
	order: func(id ID, a, b Value) (int, bool) {
		switch id {
		case Complexity:
			return cmp.Compare(asInt(a.(Bool)), asInt(b.(Bool))), true
		case MaxAgeDays:
			return cmp.Compare(zeroLast(int(b.(Int))), zeroLast(int(a.(Int)))), true
		}
		return cmp.Compare(a.(Int), b.(Int)), true
	},
}
