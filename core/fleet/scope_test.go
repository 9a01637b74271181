package fleet_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/fleet"
)

// Every device is in exactly one scope, with exactly the assignments that deciding for it alone
// gives it.
func TestScopes(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		facts := rapid.SliceOfN(rapid.Custom(func(t *rapid.T) fleet.Facts {
			return fleet.Facts{
				Name:    rapid.SampledFrom([]string{"a", "b", "c", "d"}).Draw(t, "name"),
				OSBuild: rapid.IntRange(0, 2).Draw(t, "build"), // 0 is not known
				Model:   rapid.SampledFrom([]string{"", "x", "y"}).Draw(t, "model"),
			}
		}), 0, 130).Draw(t, "facts")
		var groups []fleet.Group
		for _, name := range []string{"a", "b"} {
			g := fleet.Group{Name: name}
			if len(facts) > 0 {
				g.Devices = rapid.SliceOf(rapid.IntRange(0, len(facts)-1)).Draw(t, name)
			}
			groups = append(groups, g)
		}
		for name, source := range map[string]string{"new": `device.os_build == 2`, "x": `device.model == "x"`,
			"not-x": `device.model != "x"`} {
			rule, err := fleet.ParseRule(source)
			require.NoError(t, err)
			groups = append(groups, fleet.Group{Name: name, Rule: rule})
		}
		members := fleet.MembersOf(groups, facts)
		group := rapid.SampledFrom([]string{"a", "b", "new", "x", "not-x", "nobody", assign.Everything})
		assignments := rapid.SliceOfN(rapid.Custom(func(t *rapid.T) assign.Assignment {
			return assign.Assignment{
				Include: rapid.SliceOfN(group, 0, 3).Draw(t, "include"),
				Exclude: rapid.SliceOfN(group, 0, 2).Draw(t, "exclude"),
				Within:  rapid.SliceOfN(group, 0, 2).Draw(t, "within"),
			}
		}), 0, 5).Draw(t, "assignments")

		got := make([]string, len(facts))
		seen := map[string]bool{}
		for _, scope := range fleet.Scopes(len(facts), members, assignments) {
			met := fmt.Sprint(scope.Applying, scope.Undecided)
			require.False(t, seen[met], "each set once")
			seen[met] = true
			for _, d := range scope.Devices {
				require.Empty(t, got[d])
				got[d] = met
			}
		}
		for d := range facts {
			var applying, undecided []string
			for i, a := range assignments {
				switch reason, _ := a.Decide(func(g string) assign.Truth { return members[g].Of(d) }); reason {
				case assign.Included:
					applying = append(applying, fmt.Sprint(i))
				case assign.Undecided:
					undecided = append(undecided, fmt.Sprint(i))
				}
			}
			assert.Equal(t, "["+strings.Join(applying, " ")+"] ["+strings.Join(undecided, " ")+"]", got[d])
		}
	})
}
