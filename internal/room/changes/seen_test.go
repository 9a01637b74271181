package changes_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/change"
	"rankwarden.example/core/gate"
	"rankwarden.example/core/rights"
)

// Whoever reaches some devices sees those of a group's edit, and neither the names of others nor how many they are.
func TestEditsNameDevicesInReach(t *testing.T) {
	f := newFleet(t, 4, gate.Rules{})
	ctx := t.Context()
	f.listed("bridge", f.names[0])
	f.open()
	_, err := f.NewChange(ctx, author, "crews", "", "")
	require.NoError(t, err)
	for name, body := range map[string]*change.GroupBody{
		"crew":   {Devices: append(f.names[:3:3], "SKL-TKT-099")},
		"bridge": {Amend: true, Add: f.names[1:3], Remove: f.names[:1]},
	} {
		e := change.Edit{Kind: change.Group, Name: name, Group: body}
		if body.Amend {
			e.BasedOn = 1
		}
		_, _, err = f.PutEdit(ctx, author, "crews", e, nil)
		require.NoError(t, err)
	}
	c, err := f.Change(ctx, "crews")
	require.NoError(t, err)
	narrow := operator([]string{"bridge"}, rights.Viewer)
	for _, e := range f.SeenBy(narrow, c).Edits {
		if e.Name == "crew" {
			assert.Equal(t, f.names[:1], e.Group.Devices)
		} else {
			assert.Empty(t, e.Group.Add)
			assert.Equal(t, f.names[:1], e.Group.Remove)
		}
	}
	for _, e := range f.SeenBy(owner, c).Edits {
		assert.Greater(t, len(e.Group.Devices)+len(e.Group.Add), 1)
	}
}
