package plan_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/unit"
)

// minimum is a policy that asks for a minimum length.
func minimum(t require.TestingT, name string, length int) *policy.Document {
	source := fmt.Sprintf("format: rankwarden.policy/1\nname: %s\npasswords: {min_length: %d}\n", name, length)
	doc, problems := policy.Parse([]byte(source), nil)
	require.True(t, policy.Usable(problems), "%v", problems)
	return doc
}

// anyInputs draws four devices, three groups, and some assignments of three policies.
func anyInputs(t *rapid.T) plan.Inputs {
	in := plan.Inputs{Devices: make([]fleet.Facts, 4), Policies: map[string]*policy.Document{}}
	for i := range in.Devices {
		in.Devices[i].Name = fmt.Sprintf("SKL-WKS-%03d", i)
	}
	for _, name := range []string{"a", "b", "c"} {
		in.Policies[name] = minimum(t, name, rapid.IntRange(1, 20).Draw(t, "length"))
		in.Groups = append(
			in.Groups,
			fleet.Group{Name: name, Devices: rapid.SliceOfDistinct(rapid.IntRange(0, 3), rapid.ID[int]).Draw(t, name)},
		)
	}
	for i := range rapid.IntRange(0, 4).Draw(t, "assignments") {
		in.Assignments = append(in.Assignments, anyAssignment(t, fmt.Sprintf("x%d", i)))
	}
	return in
}

func anyAssignment(t *rapid.T, name string) assign.Assignment {
	group := rapid.SampledFrom([]string{"a", "b", "c", assign.Everything})
	return assign.Assignment{
		Name:    name,
		Policy:  rapid.SampledFrom([]string{"a", "b", "c"}).Draw(t, "policy"),
		Include: []string{group.Draw(t, "include")},
		Rank:    assign.Rank(rapid.IntRange(1, 3).Draw(t, "rank")),
		Stance:  rapid.SampledFrom([]assign.Stance{assign.Enforce, assign.Trial}).Draw(t, "stance"),
	}
}

// written is what every device is to have, in one text.
func written(t require.TestingT, p *plan.Plan) string {
	out := ""
	for i := range p.Devices {
		data, err := json.Marshal(p.Of(i).Resolution)
		require.NoError(t, err)
		out += fmt.Sprintln(string(data), p.Candidates(i))
	}
	return out
}

// A change followed by its inverse changes nothing, and neither does an empty one; the inputs that were edited
// stay as they were.
func TestEditsHaveAnInverse(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		in := anyInputs(t)
		before := written(t, plan.Run(in, fleet.InTurn))
		require.Equal(t, before, written(t, plan.Run(in.With(plan.Edits{}), fleet.InTurn)))

		edits := plan.Edits{
			Policies: map[string]*policy.Document{"b": minimum(t, "b", rapid.IntRange(1, 20).Draw(t, "new length"))},
			Groups: map[string]*fleet.Group{
				"c": {Name: "c", Devices: []int{0}},
			},
			Assignments: map[string]*assign.Assignment{},
		}
		back := plan.Edits{
			Policies:    map[string]*policy.Document{"b": in.Policies["b"]},
			Groups:      map[string]*fleet.Group{"c": &in.Groups[2]},
			Assignments: map[string]*assign.Assignment{},
		}
		for _, name := range []string{"x0", "x1", "x9"} {
			at := slices.IndexFunc(in.Assignments, func(a assign.Assignment) bool { return a.Name == name })
			back.Assignments[name], edits.Assignments[name] = nil, nil
			if at >= 0 {
				back.Assignments[name] = new(in.Assignments[at])
			}
			if rapid.Bool().Draw(t, "keep") {
				edits.Assignments[name] = new(anyAssignment(t, name))
			}
		}
		after := in.With(edits)
		changed := written(t, plan.Run(after, fleet.InTurn))
		require.Equal(t, before, written(t, plan.Run(in, fleet.InTurn)), "the inputs are as they were")
		require.Equal(t, before, written(t, plan.Run(after.With(back), fleet.InTurn)))
		require.Equal(t, changed, written(t, plan.Run(in.With(edits), fleet.InTurn)))
		former := plan.Run(in, fleet.InTurn)
		require.Equal(
			t,
			changed,
			written(t, plan.RunAfter(former, after, fleet.InTurn)),
			"what is taken is what is settled",
		)
		require.Equal(t, before, written(t, former))
	})
}

// What is settled again after a policy changed is what a new plan comes to.
func TestRerunIsARunOfTheChangedInputs(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		in := anyInputs(t)
		next := minimum(t, "b", rapid.IntRange(1, 20).Draw(t, "new length"))
		p := plan.Run(in, fleet.InTurn)
		p.Rerun(next)
		require.Equal(
			t,
			written(t, plan.Run(in.With(plan.Edits{Policies: map[string]*policy.Document{"b": next}}), fleet.InTurn)),
			written(t, p),
		)
	})
}

// A policy that cannot be used spoils the devices that meet it, and no others.
func TestAnUnusablePolicySpoilsNoOther(t *testing.T) {
	spoilt := errors.New("spoilt")
	in := plan.Inputs{
		Devices: []fleet.Facts{{Name: "SKL-HQ-001"}, {Name: "SKL-TKT-001"}},
		Groups:  []fleet.Group{{Name: "desks", Devices: []int{1}}},
		Policies: map[string]*policy.Document{
			"base": minimum(t, "base", 8),
		}, Unusable: map[string]error{"desks": spoilt},
		Assignments: []assign.Assignment{
			{Name: "all", Policy: "base", Include: []string{assign.Everything}, Rank: 500},
			{Name: "some", Policy: "desks", Include: []string{"desks"}, Rank: 100},
		},
	}
	p := plan.Run(in, fleet.InTurn)
	require.NoError(t, p.Of(0).Err)
	assert.Equal(t, []unit.Setting{{Unit: unit.MinLength, Value: unit.Int(8)}}, p.Of(0).Enforced.Settings())
	require.ErrorIs(t, p.Of(1).Err, spoilt)
	assert.ErrorContains(t, p.Of(1).Err, "assignment some")
	mended := in.With(plan.Edits{Policies: map[string]*policy.Document{"desks": minimum(t, "desks", 12)}})
	assert.NoError(t, plan.Run(mended, fleet.InTurn).Of(1).Err)
	gone := in.With(plan.Edits{Policies: map[string]*policy.Document{"base": nil}})
	assert.ErrorContains(t, plan.Run(gone, fleet.InTurn).Of(0).Err, `there is no policy "base"`)
	known := plan.Inputs{
		Devices:     in.Devices,
		Policies:    in.Policies,
		Assignments: []assign.Assignment{{Name: "some", Policy: "base", Include: []string{"desks"}, Rank: 1}},
		Known:       map[string]fleet.Members{"desks": fleet.Listed(2, []int{0}, nil)},
	}
	assert.Len(t, plan.Run(known, fleet.InTurn).Candidates(0), 1)
	assert.Empty(t, plan.Run(known, fleet.InTurn).Candidates(1))
}

func ExampleRun() {
	base, _ := policy.Parse([]byte("format: rankwarden.policy/1\nname: base\npasswords: {min_length: 12}\n"), nil)
	desks, _ := policy.Parse([]byte("format: rankwarden.policy/1\nname: desks\npasswords: {min_length: 20}\n"), nil)
	in := plan.Inputs{
		Devices:  []fleet.Facts{{Name: "SKL-HQ-001"}, {Name: "SKL-TKT-001"}},
		Groups:   []fleet.Group{{Name: "ticket-desks", Devices: []int{1}}},
		Policies: map[string]*policy.Document{"base": base},
		Assignments: []assign.Assignment{
			{
				Name:    "base-everywhere",
				Policy:  "base",
				Include: []string{assign.Everything},
				Rank:    500,
				Stance:  assign.Enforce,
			},
		},
	}
	// What would it do to aim another policy at the ticket desks?
	edits := plan.Edits{
		Policies: map[string]*policy.Document{"desks": desks},
		Assignments: map[string]*assign.Assignment{
			"desks": {
				Name:    "desks",
				Policy:  "desks",
				Include: []string{"ticket-desks"},
				Rank:    100,
				Stance:  assign.Enforce,
			},
		},
	}
	now, then := plan.Run(in, fleet.InTurn), plan.Run(in.With(edits), fleet.InTurn)
	for i, d := range in.Devices {
		fmt.Println(d.Name, now.Of(i).Enforced.Settings()[0].Value, then.Of(i).Enforced.Settings()[0].Value)
	}
	// Output:
	// SKL-HQ-001 12 12
	// SKL-TKT-001 12 20
}

// Nothing is taken from a former plan that an edit of a rank, a stance or a policy decides otherwise.
func TestRunAfterTakesOnlyWhatStays(t *testing.T) {
	in := plan.Inputs{
		Devices:  []fleet.Facts{{Name: "SKL-HQ-001"}},
		Policies: map[string]*policy.Document{"a": minimum(t, "a", 8), "b": minimum(t, "b", 12)},
		Assignments: []assign.Assignment{
			{Name: "a", Policy: "a", Include: []string{assign.Everything}, Rank: 1, Stance: assign.Enforce},
			{Name: "b", Policy: "b", Include: []string{assign.Everything}, Rank: 2, Stance: assign.Enforce},
		},
	}
	former := plan.Run(in, fleet.InTurn)
	weaker, tried, other := in.Assignments[0], in.Assignments[0], in.Assignments[0]
	weaker.Rank, tried.Stance, other.Policy = 3, assign.Trial, "b"
	for name, edits := range map[string]plan.Edits{
		"rank":     {Assignments: map[string]*assign.Assignment{"a": &weaker}},
		"stance":   {Assignments: map[string]*assign.Assignment{"a": &tried}},
		"policy":   {Assignments: map[string]*assign.Assignment{"a": &other}},
		"document": {Policies: map[string]*policy.Document{"a": minimum(t, "a", 9)}},
	} {
		after := in.With(edits)
		got := written(t, plan.RunAfter(former, after, fleet.InTurn))
		assert.Equal(t, written(t, plan.Run(after, fleet.InTurn)), got, name)
		assert.NotEqual(t, written(t, former), got, name)
	}
}
