package assign_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/assign"
)

func TestAssignmentCheck(t *testing.T) {
	good := assign.Assignment{Include: []string{"desks"}, Rank: 9999, Stance: assign.Trial}
	require.NoError(t, good.Check())
	for says, change := range map[string]func(a *assign.Assignment){
		"rank 0":               func(a *assign.Assignment) { a.Rank = 0 },
		"rank 10000":           func(a *assign.Assignment) { a.Rank = 10000 },
		"stance":               func(a *assign.Assignment) { a.Stance = "maybe" },
		"no group is included": func(a *assign.Assignment) { a.Include = nil },
		"leave no device":      func(a *assign.Assignment) { a.Exclude = []string{assign.Everything} },
		"both included":        func(a *assign.Assignment) { a.Exclude = []string{"desks"} },
		"and not to be in it":  func(a *assign.Assignment) { a.Within, a.Exclude = []string{"x"}, []string{"x"} },
	} {
		a := good
		change(&a)
		err := a.Check()
		require.ErrorIs(t, err, assign.ErrAssignment)
		assert.ErrorContains(t, err, says)
	}
}
