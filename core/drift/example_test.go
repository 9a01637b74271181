package drift_test

import (
	"fmt"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/unit"
)

// Check says where a report differs from the settings of a desired state.
func ExampleCheck() {
	settings := []unit.Setting{
		{Unit: unit.Lockout, Value: unit.LockoutValue{Threshold: 5, DurationMinutes: 15, WindowMinutes: 15}},
		{Unit: unit.MinLength, Value: unit.Int(14)},
	}
	reported := &drift.State{
		Passwords: &drift.Passwords{MinLength: new(8)},
		Lockout:   &unit.LockoutRule{Threshold: 5, DurationMinutes: 15, WindowMinutes: 15},
	}
	for _, f := range drift.Check(settings, reported, nil, drift.Context{}) {
		fmt.Println(f.Unit, f.Kind, f.Expected, f.Actual)
	}
	// Output:
	// passwords.min_length wrong_value 14 8
}
