package fleet_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"rankwarden.example/core/fleet"
)

func TestAssignmentCheck(t *testing.T) {
	good := fleet.Assignment{Include: []string{"desks"}, Rank: 9999}
	require.NoError(t, good.Check())
	for says, a := range map[string]fleet.Assignment{
		"rank 0":               {Include: []string{"desks"}},
		"rank 10000":           {Include: []string{"desks"}, Rank: 10000},
		"no group is included": {Rank: 1},
		"leave no device":      {Include: []string{"desks"}, Exclude: []string{fleet.Everything}, Rank: 1},
		"both included":        {Include: []string{"desks"}, Exclude: []string{"desks"}, Rank: 1},
	} {
		err := a.Check()
		require.ErrorIs(t, err, fleet.ErrAssignment)
		assert.ErrorContains(t, err, says)
	}
}

// Every device is in exactly one scope, with exactly the assignments that a reader of the rule
// would give it.
func TestScopes(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		count := rapid.IntRange(0, 130).Draw(t, "devices")
		device := rapid.IntRange(0, max(0, count-1))
		members := fleet.Membership{}
		for _, g := range []string{"a", "b", "c"} {
			if count > 0 {
				members[g] = rapid.SliceOf(device).Draw(t, g)
			}
		}
		group := rapid.SampledFrom([]string{"a", "b", "c", "nobody", fleet.Everything})
		assignments := rapid.SliceOfN(rapid.Custom(func(t *rapid.T) fleet.Assignment {
			return fleet.Assignment{Include: rapid.SliceOf(group).Draw(t, "include"), Exclude: rapid.SliceOfN(group, 0, 2).Draw(t, "exclude")}
		}), 0, 5).Draw(t, "assignments")

		got := make([]string, count)
		seen := map[string]bool{}
		for _, scope := range fleet.Scopes(count, members, assignments) {
			require.False(t, seen[fmt.Sprint(scope.Assignments)], "each set once")
			seen[fmt.Sprint(scope.Assignments)] = true
			for _, d := range scope.Devices {
				require.Empty(t, got[d])
				got[d] = fmt.Sprint(scope.Assignments)
			}
		}
		in := func(device int, groups []string) bool {
			return slices.ContainsFunc(groups, func(g string) bool { return g == fleet.Everything || slices.Contains(members[g], device) })
		}
		for d := range count {
			var want []string
			for i, a := range assignments {
				if in(d, a.Include) && !in(d, a.Exclude) {
					want = append(want, fmt.Sprint(i))
				}
			}
			assert.Equal(t, "["+strings.Join(want, " ")+"]", got[d])
		}
	})
}

// BenchmarkScopes is 100,000 devices, 400 assignments and 300 groups.
func BenchmarkScopes(b *testing.B) {
	const devices, groups = 100_000, 300
	members := fleet.Membership{}
	for g := range groups {
		for d := g % 97; d < devices; d += 5 + g%61 {
			members[fmt.Sprint(g)] = append(members[fmt.Sprint(g)], d)
		}
	}
	var assignments []fleet.Assignment
	for i := range 400 {
		a := fleet.Assignment{Include: []string{fmt.Sprint(200 + i%100)}}
		if i < 40 {
			a = fleet.Assignment{Include: []string{fmt.Sprint(i % 8)}, Exclude: []string{fmt.Sprint(i % 5)}}
		}
		assignments = append(assignments, a)
	}
	for b.Loop() {
		fleet.Scopes(devices, members, assignments)
	}
}
