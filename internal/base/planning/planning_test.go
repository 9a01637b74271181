package planning_test

import (
	"errors"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/change"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/rollout"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/base/planning"
	"rankwarden.example/internal/base/uow/uowtest"
	"rankwarden.example/internal/store"
)

// lengths is the document of a policy that asks for a minimum length.
func lengths(name string, length int) string {
	return fmt.Sprintf("format: rankwarden.policy/1\nname: %s\npasswords: {min_length: %d}\n", name, length)
}

// pier is a fleet of three: a and b are on the pier, all have eight characters.
func pier(t *testing.T) plan.Inputs {
	doc, err := cache.NewDocuments().Parse(lengths("lamps", 8))
	require.NoError(t, err)
	return plan.Inputs{
		Devices:  []fleet.Facts{{Name: "a"}, {Name: "b"}, {Name: "c"}},
		Groups:   []fleet.Group{{Name: "pier", Devices: []int{0, 1}}},
		Policies: map[string]*policy.Document{"lamps": doc},
		Assignments: []assign.Assignment{
			{Name: "all", Policy: "lamps", Include: []string{assign.Everything}, Rank: 500, Stance: assign.Enforce}},
	}
}

// out is a rollout under way, of some edits as they are stored.
func out(t *testing.T, id string, state rollout.State, edits ...change.Edit) store.Rollout {
	r := store.Rollout{ID: id, Name: "change-" + id, State: state}
	for _, e := range edits {
		record, err := store.NewChangeEdit(id, e)
		require.NoError(t, err)
		r.Edits = append(r.Edits, record)
	}
	return r
}

func underWay(rollouts ...store.Rollout) []planning.UnderWay {
	return planning.ReadUnderWay(rollouts, change.Context{Parse: cache.NewDocuments().Parse,
		Index: map[string]int{"a": 0, "b": 1, "c": 2}})
}

var (
	longer   = change.Edit{Kind: change.Publish, Name: "long", Document: lengths("long", 14)}
	onPier   = change.Edit{Kind: change.Assign, Name: "piers", Assignment: aimed("long", 100, "pier")}
	tooShort = change.Edit{Kind: change.Publish, Name: "long",
		Document: "format: rankwarden.policy/1\nname: long\nx: 1\n"}
)

func aimed(to string, rank assign.Rank, groups ...string) *change.Aim {
	return &change.Aim{Policy: to, Include: groups, Rank: rank, Stance: assign.Enforce}
}

func length(t *testing.T, p *plan.Plan, device int) string {
	for _, s := range p.Of(device).Enforced.Units {
		if s.Unit == unit.MinLength {
			return fmt.Sprint(s.Value)
		}
	}
	return ""
}

// A device has the change of the rollouts that it is in, and of no other.
func TestADeviceHasTheChangesOfItsRollouts(t *testing.T) {
	shorter := change.Edit{Kind: change.Publish, Name: "lamps", Document: lengths("lamps", 9)}
	o := planning.Overlay(pier(t), underWay(out(t, "r1", rollout.Running, longer, onPier),
		out(t, "r2", rollout.Running, shorter)))
	for want, rollouts := range map[string][]string{
		"8 8": nil, "14 8": {"r1"}, "9 9": {"r2"}, "14 9": {"r1", "r2"},
	} {
		p, err := o.With(rollouts)
		require.NoError(t, err)
		assert.Equal(t, want, length(t, p, 0)+" "+length(t, p, 2), rollouts)
	}
}

// What cannot be made any more is said of that rollout, and spoils no other.
func TestARolloutThatCannotBeMade(t *testing.T) {
	o := planning.Overlay(pier(t), underWay(out(t, "r1", rollout.Running, tooShort),
		out(t, "r2", rollout.Running, longer, onPier), out(t, "r3", rollout.Running, onPier)))
	_, err := o.With([]string{"r1"})
	assert.ErrorIs(t, err, cache.ErrUnreadable)
	_, err = o.With([]string{"r3"})
	assert.ErrorIs(t, err, change.ErrUnknown, "its policy is not there without the other change")
	_, err = o.With([]string{"r2"})
	assert.NoError(t, err)
	_, err = o.With([]string{"r1", "r2"})
	assert.Error(t, err, "whoever is in both has neither")
}

// Devices come into a rollout when its change touches them, and leave when it no longer does.
func TestMoves(t *testing.T) {
	is := func(devices ...string) map[string]map[string]bool {
		in := map[string]bool{}
		for _, d := range devices {
			in[d] = true
		}
		return map[string]map[string]bool{"r1": in}
	}
	for name, c := range map[string]struct {
		state rollout.State
		edits []change.Edit
		in    map[string]map[string]bool
		want  string
	}{
		"those that it touches are in it": {rollout.Running, []change.Edit{longer, onPier}, is("a", "b"), ""},
		"one comes":                       {rollout.Running, []change.Edit{longer, onPier}, is("a"), "join b"},
		"one leaves": {rollout.Running, []change.Edit{longer, onPier}, is("a", "b", "c"),
			"leave c"},
		"one comes, one leaves": {rollout.Running, []change.Edit{longer, onPier}, is("b", "c"),
			"leave c join a"},
		"one that is over moves nobody": {rollout.Done, []change.Edit{longer, onPier}, is("c"), ""},
		"one that cannot be made halts": {rollout.Running, []change.Edit{tooShort}, is("a"), "halt"},
		"one that was stopped stays so": {rollout.Stopped, []change.Edit{tooShort}, is("a"), ""},
	} {
		t.Run(name, func(t *testing.T) {
			o := planning.Overlay(pier(t), underWay(out(t, "r1", c.state, c.edits...)))
			said := ""
			for _, m := range o.Moves([]string{"a", "b", "c"}, c.in, "it was added to a group") {
				if m.Halt != "" {
					said += " halt"
				}
				for _, e := range m.Events {
					switch e := e.(type) {
					case rollout.Leave:
						said += " leave " + e.Device
					case rollout.Join:
						assert.Equal(t, "it was added to a group", e.Why)
						for _, d := range e.Devices {
							said += " join " + d
							assert.Equal(t, []unit.ID{unit.MinLength}, m.Units[d])
						}
					}
				}
			}
			if c.want != "" {
				c.want = " " + c.want
			}
			assert.Equal(t, c.want, said)
		})
	}
}

// An edited policy has the next number over the one in force, once for each rollout that a device has.
func TestRevisions(t *testing.T) {
	rollouts := underWay(out(t, "r1", rollout.Running, longer), out(t, "r2", rollout.Running, longer))
	inForce, latest := map[string]int{"lamps": 3},
		map[string]planning.PolicyInUse{"long": {ID: "p", Revision: 5}, "lamps": {Revision: 9}}
	for name, c := range map[string]struct {
		carried []string
		want    map[string]int
	}{
		"none":            {nil, map[string]int{"lamps": 3, "long": 5}},
		"one":             {[]string{"r1"}, map[string]int{"lamps": 3, "long": 6}},
		"both":            {[]string{"r1", "r2"}, map[string]int{"lamps": 3, "long": 7}},
		"one that is not": {[]string{"r9"}, map[string]int{"lamps": 3, "long": 5}},
	} {
		assert.Equal(t, c.want, planning.Revisions(inForce, rollouts, latest, c.carried), name)
	}
	assert.Equal(t, map[string]int{"lamps": 3}, inForce, "what is in force stays")
}

// Two lists of edits are the same when they do the same to the same versions, in the same order.
func TestSameEdits(t *testing.T) {
	a := out(t, "x", rollout.Running, longer, onPier).Edits
	for name, c := range map[string]struct {
		edits []change.Edit
		same  bool
	}{
		"the same":      {[]change.Edit{longer, onPier}, true},
		"another order": {[]change.Edit{onPier, longer}, false},
		"one less":      {[]change.Edit{longer}, false},
		"another rank": {[]change.Edit{longer,
			{Kind: change.Assign, Name: "piers", Assignment: aimed("long", 101, "pier")}}, false},
		"another version": {[]change.Edit{{Kind: change.Publish, Name: "long", Document: longer.Document, BasedOn: 2},
			onPier}, false},
	} {
		assert.Equal(t, c.same, planning.SameEdits(a, out(t, "y", rollout.Running, c.edits...).Edits), name)
	}
}

// known has some groups and one policy.
type known struct{ err error }

func (k known) GroupsNamed(names []string) ([]store.Group, error) {
	var found []store.Group
	for _, n := range names {
		if n == "pier" || n == "quay" {
			found = append(found, store.Group{Name: n})
		}
	}
	return found, k.err
}

func (k known) Policy(name string) (store.Policy, error) {
	switch name {
	case "lamps":
		return store.Policy{ID: "p", Name: name, Revision: 2}, nil
	case "draft":
		return store.Policy{ID: "d", Name: name}, nil
	}
	return store.Policy{}, store.ErrNotFound
}

// What edits name is read beside what is in force: groups that are there, policies that were published.
func TestWhatEditsName(t *testing.T) {
	for name, c := range map[string]struct {
		edits    []change.Edit
		groups   []string
		policies int
	}{
		"an aim": {[]change.Edit{{Kind: change.Assign, Name: "x",
			Assignment: aimed("lamps", 1, "pier", "mole")}}, []string{"pier"}, 1},
		"an aim at a draft": {[]change.Edit{{Kind: change.Assign, Name: "x",
			Assignment: aimed("draft", 1, "quay")}}, []string{"quay"}, 0},
		"an aim at a new policy": {[]change.Edit{longer,
			{Kind: change.Assign, Name: "x", Assignment: aimed("long", 1, "quay")}}, []string{"quay"}, 0},
		"a group that goes": {[]change.Edit{{Kind: change.DropGroup, Name: "quay"}}, []string{"quay"}, 0},
		"a withdrawal":      {[]change.Edit{{Kind: change.Withdraw, Name: "x"}}, nil, 0},
	} {
		t.Run(name, func(t *testing.T) {
			rollouts := underWay(out(t, "r", rollout.Running, c.edits...))
			require.NoError(t, rollouts[0].Err)
			beside, err := planning.NamedByRollouts(known{}, rollouts)
			require.NoError(t, err)
			assert.ElementsMatch(t, c.groups, beside.Groups)
			assert.Len(t, beside.Policies, c.policies)
		})
	}
	_, err := planning.NamedByRollouts(known{errors.New("gone")}, nil)
	assert.Error(t, err)
}

type touching struct{ name, thing string }

func (o touching) UnderWay([]string, string) (string, string, error) { return o.name, o.thing, nil }

func (o touching) Freezes() ([]store.Freeze, error) {
	if o.name == "" {
		return nil, nil
	}
	return []store.Freeze{{What: store.FreezeAll, By: o.name, Reason: "a storm"}}, nil
}

// Nothing is altered that a rollout under way touches, and nothing opens while everything is frozen; both say who.
func TestWhatStandsInTheWay(t *testing.T) {
	assert.NoError(t, planning.NotTouched(touching{}, "", "group pier"))
	err := planning.NotTouched(touching{"longer", "group pier"}, "", "group pier")
	assert.Equal(t, "under_way", uowtest.Code(err))
	assert.ErrorContains(t, err, `the change "longer" is on its way and touches the group pier`)
	assert.NoError(t, planning.NotFrozen(touching{}))
	err = planning.NotFrozen(touching{name: "asta"})
	assert.Equal(t, "frozen", uowtest.Code(err))
	assert.ErrorContains(t, err, "by asta: a storm")
}
