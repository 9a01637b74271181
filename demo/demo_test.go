package demo_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/fleet"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/resolve"
	"rankwarden.example/demo"
	"rankwarden.example/internal/agent"
)

// The demo shows every verdict that its units can have, and leaves one contest open on purpose.
func TestDemoPoliciesReallyOverlap(t *testing.T) {
	sources, err := demo.Policies()
	require.NoError(t, err)
	policies := map[string]policy.Normal{}
	for _, source := range sources {
		doc, problems := policy.Parse([]byte(source))
		require.Empty(t, problems, source)
		policies[doc.Name] = doc.Normalise()
	}
	assignments, err := demo.Assignments()
	require.NoError(t, err)
	f := demo.NewFleet(240, time.Unix(0, 0))
	members, index := fleet.Membership{}, map[string]int{}
	for i, m := range f.Machines {
		index[m.Facts.Name] = i
	}
	require.Len(t, index, 240, "every name once")
	for _, g := range f.Groups {
		for _, name := range g.Devices {
			members[g.Name] = append(members[g.Name], index[name])
		}
	}
	var aims []fleet.Assignment
	for _, a := range assignments {
		aim := fleet.Assignment{Name: a.Name, Policy: a.Policy, Include: a.Include, Exclude: a.Exclude, Rank: fleet.Rank(a.Rank)}
		require.NoError(t, aim.Check())
		require.Contains(t, policies, a.Policy)
		aims = append(aims, aim)
	}
	verdicts, contested := map[resolve.Verdict]int{}, 0
	for _, scope := range fleet.Scopes(len(f.Machines), members, aims) {
		var applying []resolve.Applying
		for _, i := range scope.Assignments {
			applying = append(applying, resolve.Applying{Name: aims[i].Name, Rank: aims[i].Rank, Policy: policies[aims[i].Policy]})
		}
		for _, u := range resolve.Settle(applying).Units {
			verdicts[u.Verdict]++
			if u.Verdict == resolve.Contested {
				contested += len(scope.Devices)
			}
		}
	}
	for _, v := range []resolve.Verdict{resolve.Sole, resolve.Ranked, resolve.Stricter, resolve.Merged, resolve.Contested} {
		assert.Positive(t, verdicts[v], v)
	}
	assert.Less(t, contested, 24, "a tenth at the most")
	for _, incident := range demo.Incidents(agent.SystemClock{}) {
		assert.Contains(t, index, incident.Device)
	}
}
