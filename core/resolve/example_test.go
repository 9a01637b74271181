package resolve_test

import (
	"fmt"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/resolve"
)

// Settle decides what several assignments claim of one device.
func ExampleSettle() {
	asking := func(name string, rank assign.Rank, length int) resolve.Assignment {
		doc, _ := policy.Parse(
			fmt.Appendf(nil, "format: rankwarden.policy/1\nname: %s\npasswords: {min_length: %d}\n", name, length),
			nil,
		)
		return resolve.Assignment{Name: name, Rank: rank, Stance: assign.Enforce, Policy: doc.Normalise(nil)}
	}
	r := resolve.Settle([]resolve.Assignment{asking("base", 500, 12), asking("desks", 200, 14)}, nil)
	for _, u := range r.Enforced.Units {
		fmt.Println(u.Unit, u.Value, u.Verdict, u.From, "over", u.Over[0].Assignment)
	}
	// Output:
	// passwords.min_length 14 ranked [desks] over base
}
