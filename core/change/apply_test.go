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
		edit Edit
		is   error
		says string
	}{
		"the group of everything":     {Edit{Kind: DropGroup, Name: assign.Everything}, ErrWrong, "built-in"},
		"a group in use":              {Edit{Kind: DropGroup, Name: "pier"}, ErrInUse, "piers"},
		"a group that is not there":   {Edit{Kind: DropGroup, Name: "peer"}, nil, `did you mean "pier"?`},
		"an assignment not there":     {Edit{Kind: Withdraw, Name: "pies"}, nil, `did you mean "piers"?`},
		"a kind that nobody knows":    {Edit{Kind: "lift", Name: "pier"}, ErrWrong, "there is no edit"},
		"to a policy that is no more": {aim("new", "lanterns", "pier"), nil, "lanterns"},
		"to a group that is no more":  {aim("new", "lamps", "mole"), nil, "mole"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := Apply(there(), []Edit{c.edit})
			require.Error(t, err)
			assert.ErrorContains(t, err, c.says)
			if c.is != nil {
				assert.ErrorIs(t, err, c.is)
			}
		})
	}
}

func aim(name, policy, group string) Edit {
	return Edit{Kind: Assign, Name: name, Assignment: &assign.Assignment{Name: name, Policy: policy,
		Include: []string{group},
		Rank:    20, Stance: assign.Enforce}}
}

// Edits are made in order: what one takes away, the next cannot use, and what one adds it can.
func TestEditsAreMadeInOrder(t *testing.T) {
	out, err := Apply(there(), []Edit{{Kind: Withdraw, Name: "piers"}, {Kind: DropGroup, Name: "pier"}})
	require.NoError(t, err)
	assert.Empty(t, out.Assignments)
	_, err = Apply(there(), []Edit{{Kind: DropGroup, Name: "pier"}, {Kind: Withdraw, Name: "piers"}})
	assert.ErrorIs(t, err, ErrInUse)
	out, err = Apply(there(), []Edit{{Kind: Group, Name: "mole", Group: &fleet.Group{Name: "mole"}},
		aim("moles", "lamps", "mole")})
	require.NoError(t, err)
	assert.Len(t, out.Assignments, 2)
	before := there()
	assert.Len(t, before.Assignments, 1, "the inputs stay as they are")
}
