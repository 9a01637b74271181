package policy_test

import (
	"fmt"

	"rankwarden.example/core/policy"
)

// Parse names every problem at once, each with its place and the way out.
func ExampleParse() {
	_, problems := policy.Parse(
		[]byte("format: rankwarden.policy/1\nname: ticket-desks\npasswords:\n  min_lenght: 14\n  history: 99\n"),
		nil,
	)
	for _, p := range problems {
		fmt.Println(p.Line, p.Column, p.Path, p.Code)
		fmt.Println(" ", p.Message)
	}
	// Output:
	// 4 3 passwords.min_lenght unknown_key
	//   the key "min_lenght" is not known; did you mean "min_length"?
	// 5 12 passwords.history out_of_bounds
	//   99 is out of bounds; write a whole number from 0 to 24 (passwords remembered)
}

// The normal form of a policy is what it asks for, setting by setting.
func ExampleDocument_Normalise() {
	doc, _ := policy.Parse(
		[]byte(
			"format: rankwarden.policy/1\nname: ticket-desks\nlockout: {threshold: 5}\npasswords: {min_length: 14}\n",
		),
		nil,
	)
	for _, ask := range doc.Normalise(nil).Asks {
		fmt.Printf("%s %+v\n", ask.Unit, ask.Value)
	}
	// Output:
	// lockout {Threshold:5 DurationMinutes:15 WindowMinutes:15}
	// passwords.min_length 14
}
