package demo_test

import (
	"cmp"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/demo"
	"rankwarden.example/internal/agent"
	"rankwarden.example/internal/wire/directory"
)

// The demo shows every verdict that its units can have, and leaves one contest open on purpose.
func TestDemoPoliciesReallyOverlap(t *testing.T) {
	sources, err := demo.Policies()
	require.NoError(t, err)
	people, err := demo.Directory()
	require.NoError(t, err)
	entries, skipped, err := directory.ParseLDIF(people)
	require.NoError(t, err)
	require.Empty(t, skipped)
	var known []principal.Entry
	for _, e := range entries {
		known = append(known, e.Entry)
	}
	table := principal.NewTable(known)
	policies := map[string]*policy.Document{}
	for _, source := range sources {
		doc, problems := policy.Parse([]byte(source), table)
		for _, p := range problems {
			require.Contains(t, []string{policy.CodeUndeclared, policy.CodePlatform}, p.Code,
				"the mooring is declared by base: %v", p)
		}
		require.True(t, policy.Usable(problems))
		policies[doc.Name] = doc
	}
	assignments, err := demo.Assignments()
	require.NoError(t, err)
	f := demo.NewFleet(240, time.Unix(0, 0))
	index := map[string]int{}
	facts := make([]fleet.Facts, len(f.Machines))
	for i, m := range f.Machines {
		index[m.Facts.Name] = i
		facts[i] = fleet.Facts{
			Name:     m.Facts.Name,
			Platform: m.Facts.Platform, OSBuild: m.Facts.OSBuild,
			Path: f.Places[m.Facts.Name].Path,
			Tags: []string{f.Places[m.Facts.Name].Tag},
		}
	}
	require.Len(t, index, 240, "every name once")
	var groups []fleet.Group
	for _, g := range f.Groups {
		group := fleet.Group{Name: g.Name}
		if g.Rule != "" {
			group.Rule, err = fleet.ParseRule(g.Rule)
			require.NoError(t, err)
		}
		for _, name := range g.Devices {
			group.Devices = append(group.Devices, index[name])
		}
		groups = append(groups, group)
	}
	var aims []assign.Assignment
	for _, a := range assignments {
		aim := assign.Assignment{
			Name:    a.Name,
			Policy:  a.Policy,
			Include: a.Include,
			Exclude: a.Exclude,
			Within:  a.Within,
			Rank:    assign.Rank(a.Rank),
			Stance:  cmp.Or(assign.Stance(a.Stance), assign.Enforce),
		}
		require.NoError(t, aim.Check())
		require.Contains(t, policies, a.Policy)
		aims = append(aims, aim)
	}
	verdicts, contested, undecided, trials := map[resolve.Verdict]int{}, 0, 0, 0
	in := plan.Inputs{Devices: facts, Groups: groups, Policies: policies, Assignments: aims, Directory: table}
	for _, r := range plan.Run(in, fleet.InTurn).Scopes {
		undecided += len(r.Undecided) * len(r.Devices)
		if r.Projected != nil {
			trials += len(r.Devices)
		}
		for _, u := range r.Enforced.Units {
			verdicts[u.Verdict]++
			if u.Verdict == resolve.Contested {
				contested += len(r.Devices)
			}
		}
	}
	assert.Equal(t, 1, undecided, "one screen does not say its build")
	assert.Greater(t, trials, 50)
	for _, v := range []resolve.Verdict{resolve.Sole, resolve.Ranked, resolve.Stricter, resolve.Merged,
		resolve.Contested} {
		assert.Positive(t, verdicts[v], v)
	}
	assert.Less(t, contested, 24, "a tenth at the most")
	for _, incident := range demo.Incidents(agent.SystemClock{}) {
		assert.Contains(t, index, incident.Device)
	}
}
