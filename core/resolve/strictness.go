package resolve

import "cmp"

// strictness is positive when a is stricter than b, negative when b is; ok is false when the unit
// has no order of strictness.
func strictness(unit UnitID, a, b Value) (order int, ok bool) {
	switch unit {
	case MinLength, History, MinAgeDays:
		return cmp.Compare(a.(Int), b.(Int)), true
	case MaxAgeDays:
		return cmp.Compare(zeroLast(int(b.(Int))), zeroLast(int(a.(Int)))), true
	case Complexity:
		return cmp.Compare(asInt(a.(Bool)), asInt(b.(Bool))), true
	case Lockout:
		x, y := a.(LockoutValue), b.(LockoutValue)
		return cmp.Or(
			cmp.Compare(zeroLast(y.Threshold), zeroLast(x.Threshold)),
			cmp.Compare(zeroLast(x.DurationMinutes), zeroLast(y.DurationMinutes)),
			cmp.Compare(x.WindowMinutes, y.WindowMinutes),
		), true
	}
	if _, property, ok := unit.Builtin(); ok && property == BuiltinEnabled {
		return cmp.Compare(asInt(b.(Bool)), asInt(a.(Bool))), true
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
