package change

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/policy"
)

// there is an organisation with a policy, a group and an assignment.
func there() plan.Inputs {
	return plan.Inputs{
		Policies:    map[string]*policy.Document{"lamps": {Name: "lamps"}},
		Known:       map[string]fleet.Members{"pier": {}, "quay": {}},
		Assignments: []assign.Assignment{{Name: "piers", Policy: "lamps", Include: []string{"pier"}, Rank: 10}},
	}
}

func TestWhatCannotBeEdited(t *testing.T) {
	for name, c := range map[string]struct {
		edit Step
		is   error
		says string
	}{
		"the group of everything":     {Step{Kind: DropGroup, Name: assign.Everything}, ErrWrong, "built-in"},
		"a group in use":              {Step{Kind: DropGroup, Name: "pier"}, ErrInUse, "piers"},
		"a group that is not there":   {Step{Kind: DropGroup, Name: "peer"}, nil, `did you mean "pier"?`},
		"an assignment not there":     {Step{Kind: Withdraw, Name: "pies"}, nil, `did you mean "piers"?`},
		"a kind that nobody knows":    {Step{Kind: "lift", Name: "pier"}, ErrWrong, "there is no edit"},
		"to a policy that is no more": {aim("new", "lanterns", "pier"), nil, "lanterns"},
		"to a group that is no more":  {aim("new", "lamps", "mole"), nil, "mole"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := Apply(there(), []Step{c.edit})
			require.Error(t, err)
			assert.ErrorContains(t, err, c.says)
			if c.is != nil {
				assert.ErrorIs(t, err, c.is)
			}
		})
	}
}

func aim(name, policy, group string) Step {
	return Step{Kind: Assign, Name: name, Assignment: &assign.Assignment{Name: name, Policy: policy,
		Include: []string{group},
		Rank:    20, Stance: assign.Enforce}}
}

// Edits are made in order: what one takes away, the next cannot use, and what one adds it can.
func TestEditsAreMadeInOrder(t *testing.T) {
	out, err := Apply(there(), []Step{{Kind: Withdraw, Name: "piers"}, {Kind: DropGroup, Name: "pier"}})
	require.NoError(t, err)
	assert.Empty(t, out.Assignments)
	_, err = Apply(there(), []Step{{Kind: DropGroup, Name: "pier"}, {Kind: Withdraw, Name: "piers"}})
	assert.ErrorIs(t, err, ErrInUse)
	out, err = Apply(there(), []Step{{Kind: Group, Name: "mole", Group: &fleet.Group{Name: "mole"}},
		aim("moles", "lamps", "mole")})
	require.NoError(t, err)
	assert.Len(t, out.Assignments, 2)
	before := there()
	assert.Len(t, before.Assignments, 1, "the inputs stay as they are")
}

// What an edit is read with decides what a plan takes: the document that was kept, the devices that are known.
func TestAnEditIsRead(t *testing.T) {
	kept := &policy.Document{Name: "lamps"}
	in := Context{Index: map[string]int{"skl-a": 3}, Parse: func(source string) (*policy.Document, error) {
		if source != "lamps" {
			return nil, ErrUnknown
		}
		return kept, nil
	}}
	for name, c := range map[string]struct {
		edit Edit
		want Step
		err  string
	}{
		"a document":         {Edit{Kind: Publish, Name: "lamps", Document: "lamps"}, Step{Policy: kept}, ""},
		"one that is no use": {Edit{Kind: Publish, Name: "lamps", Document: "x"}, Step{}, "publish lamps"},
		"an aim has the edit's name": {Edit{Kind: Assign, Name: "piers", Assignment: &Aim{Rank: 7}},
			Step{Assignment: &assign.Assignment{Name: "piers", Rank: 7}}, ""},
		"an aim at nothing": {Edit{Kind: Assign, Name: "piers"}, Step{}, "nothing of what the assignment is to be"},
		"a list": {Edit{Kind: Group, Name: "pier", Group: &GroupBody{Devices: []string{"SKL-A", "SKL-NEW"}}},
			Step{Group: &fleet.Group{Name: "pier", Devices: []int{3}}}, ""},
		"a rule that cannot be read": {Edit{Kind: Group, Name: "pier", Group: &GroupBody{Rule: "device."}}, Step{},
			"group pier"},
		"a group without a body": {Edit{Kind: Group, Name: "pier"}, Step{}, "nothing of what the group is to be"},
		"a removal":              {Edit{Kind: DropGroup, Name: "pier"}, Step{}, ""},
	} {
		t.Run(name, func(t *testing.T) {
			step, err := Read(c.edit, in)
			if c.err != "" {
				require.ErrorContains(t, err, c.err)
				return
			}
			require.NoError(t, err)
			c.want.Kind, c.want.Name = c.edit.Kind, c.edit.Name
			assert.Equal(t, c.want, step)
		})
	}
}
