package preview_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/change"
	"rankwarden.example/core/effect"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/scenario"
)

// inverse undoes the edits of a scenario, but for policies that are new: they stay, and nothing assigns them.
func inverse(s *scenario.Scenario) []change.Step {
	var groups, policies, assignments, drops []change.Step
	for _, e := range s.Change {
		switch e.Kind.Type() {
		case change.Policies:
			if doc := s.Policies[e.Name]; doc != nil {
				policies = append(policies, change.Step{Kind: change.Publish, Name: e.Name, Policy: doc})
			}
		case change.Assignments:
			at := slices.IndexFunc(s.Assignments, func(a assign.Assignment) bool { return a.Name == e.Name })
			if at >= 0 {
				assignments = append(
					assignments,
					change.Step{Kind: change.Assign, Name: e.Name, Assignment: &s.Assignments[at]},
				)
			} else if e.Kind == change.Assign {
				assignments = append(assignments, change.Step{Kind: change.Withdraw, Name: e.Name})
			}
		case change.Groups:
			at := slices.IndexFunc(s.Groups, func(g fleet.Group) bool { return g.Name == e.Name })
			if at >= 0 {
				groups = append(groups, change.Step{Kind: change.Group, Name: e.Name, Group: &s.Groups[at]})
			} else if e.Kind == change.Group {
				drops = append(drops, change.Step{Kind: change.DropGroup, Name: e.Name})
			}
		}
	}
	return slices.Concat(groups, policies, assignments, drops)
}

// of is a policy made of some sections.
func of(t require.TestingT, name string, sections ...string) *policy.Document {
	source := "format: rankwarden.policy/1\nname: " + name + "\n"
	for _, s := range sections {
		source += s + "\n"
	}
	doc, problems := policy.Parse([]byte(source), nil)
	require.True(t, policy.Usable(problems), "%s: %v", source, problems)
	return doc
}

// The effects of two changes that touch different settings add up.
func TestEffectsOfIndependentChangesAddUp(t *testing.T) {
	var sources [][]byte
	for _, source := range inputs(t) {
		sources = append(sources, source)
	}
	slices.SortFunc(sources, func(a, b []byte) int { return slices.Compare(a, b) })
	some := 0
	rapid.Check(t, func(t *rapid.T) {
		s, err := scenario.Read(rapid.SampledFrom(sources).Draw(t, "scenario"), nil)
		require.NoError(t, err)
		numbers := of(t, "numbers", fmt.Sprintf("passwords: {min_length: %d, history: %d}",
			rapid.IntRange(0, 20).Draw(t, "length"), rapid.IntRange(0, 24).Draw(t, "history")))
		guests := of(t, "guests", "membership: [{local_group: guests, mode: exact, members: ["+
			rapid.SampledFrom([]string{"builtin:guest", "local:mechanic", "sid:S-1-5-21-11-22-33-1501"}).
				Draw(t, "member")+
			"]}]")
		effects := func(edits ...change.Step) map[string]bool {
			s.Change = edits
			p, err := s.Preview(fleet.InTurn)
			require.NoError(t, err)
			all := map[string]bool{}
			for _, a := range p.Affected {
				for _, e := range a.Effects {
					data, err := json.Marshal(e)
					require.NoError(t, err)
					all[a.Device+string(data)] = true
				}
			}
			return all
		}
		aim := func(doc *policy.Document) []change.Step {
			return []change.Step{
				{Kind: change.Publish, Name: doc.Name, Policy: doc},
				{Kind: change.Assign, Name: doc.Name, Assignment: &assign.Assignment{
					Name: doc.Name, Policy: doc.Name, Include: []string{assign.Everything}, Rank: 1,
					Stance: assign.Enforce,
				}},
			}
		}
		one, other := effects(aim(numbers)...), effects(aim(guests)...)
		both := effects(slices.Concat(aim(numbers), aim(guests))...)
		some += len(one)
		for e := range other {
			one[e] = true
		}
		require.Equal(t, one, both)
	})
	assert.Positive(t, some)
}

// Counting gives the sums of the whole document.
func TestCountIsTheSumsOfTheDocument(t *testing.T) {
	for file, source := range inputs(t) {
		s, err := scenario.Read(source, nil)
		require.NoError(t, err)
		p, err := s.Preview(fleet.InTurn)
		require.NoError(t, err)
		counted, err := s.Count(fleet.InTurn)
		require.NoError(t, err)
		assert.Equal(t, p.Devices, counted.Devices, file)
		assert.Equal(t, p.Sums, counted.Sums(), file)
		for _, sum := range p.Sums {
			devices := 0
			for _, a := range p.Affected {
				for _, e := range a.Effects {
					if e.Kind == sum.Kind && e.Unit == sum.Unit && e.Subject == sum.Subject {
						devices++
						assert.True(t, sum.After == effect.Varies || assert.ObjectsAreEqual(sum.After, e.After))
						assert.True(t, devices > effect.FirstDevices || slices.Contains(sum.First, a.Device))
					}
				}
			}
			assert.Equal(t, devices, sum.Devices)
		}
	}
}
