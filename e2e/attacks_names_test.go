package e2e

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/client"
)

// A device that renames itself stays in the groups that list it, under its policy and in its support person's reach.
// Nobody else gets its former name, it is found by it, and it can come back to it.
func TestNoDeviceRenamesItselfOutOfItsGroups(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	_, err := s.owner.CreateGroup(ctx, client.GroupSpec{Name: "desks", Devices: []string{"SKL-TKT-009"}})
	require.NoError(t, err)
	s.publish("base", "passwords: {min_length: 12}", 300, "everything")
	s.publish("desk", "lockout: {threshold: 5}", 500, "desks")
	d, other := s.enrolled("SKL-TKT-001"), s.enrolled("SKL-TKT-002")
	_, err = s.owner.EditGroup(ctx, "desks", client.GroupEdit{Add: []string{"SKL-TKT-001"}}, 1)
	require.NoError(t, err)
	support := s.as("nightwatch", "support", "desks")
	s.settled()
	s.cycle(d, "SKL-TKT-001")
	s.cycle(other, "SKL-TKT-002")
	id := s.why("SKL-TKT-001").Device.ID
	become := func(name string) {
		d.Rename(name)
		require.NoError(t, d.Cycle(ctx))
		s.settled()
		require.NoError(t, d.Cycle(ctx))
	}
	asked := func() string {
		for _, u := range s.why(id).Units {
			if u.Unit == "lockout" {
				return u.Desired
			}
		}
		return ""
	}
	before := asked()
	require.NotEmpty(t, before)

	become("SKL-GONE-001")
	seen, err := support.Device(ctx, id)
	require.NoError(t, err, "it is in reach as before")
	assert.Equal(t, "SKL-GONE-001", seen.Name)
	assert.Equal(t, before, asked(), "and under its policy")
	found, err := support.Device(ctx, "SKL-TKT-001")
	require.NoError(t, err, "it is found by its former name")
	assert.Equal(t, id, found.ID)
	list, err := support.Devices(ctx, client.DeviceQuery{Search: "tkt-001"}, client.Page{})
	require.NoError(t, err)
	assert.Len(t, list.Items, 1)

	other.Rename("SKL-TKT-001")
	require.NoError(t, other.Cycle(ctx))
	w := s.why("SKL-TKT-002")
	assert.Equal(t, "SKL-TKT-001", w.Device.NameRefused)
	open, err := s.owner.Findings(ctx, client.FindingQuery{Kind: "name_in_use"}, client.Page{})
	require.NoError(t, err)
	require.Len(t, open.Items, 1, "a finding says so")
	assert.Contains(t, open.Items[0].Words, "the workstation is called SKL-TKT-001")
	assert.NotEqual(t, "drifted", w.Device.Standing)
	_, err = s.owner.Waive(ctx, []int64{open.Items[0].ID}, time.Now().Add(time.Hour), "no")
	problem(t, err, 422, "no setting that could be left alone")
	impostor := s.device("SKL-TKT-001", s.enrolmentToken(1))
	require.NoError(t, impostor.Cycle(ctx))
	claiming, err := s.owner.Devices(ctx, client.DeviceQuery{State: "claiming"}, client.Page{})
	require.NoError(t, err)
	require.Len(t, claiming.Items, 1, "a new device under the name waits for an owner")
	require.NoError(t, s.owner.Decide(ctx, claiming.Items[0].ID, "refuse"))

	become("SKL-TKT-001")
	assert.Equal(t, "SKL-TKT-001", s.why(id).Device.Name, "it can come back")
	become("SKL-TKT-009")
	assert.Equal(t, "SKL-TKT-001", s.why(id).Device.Name, "a name that a group expects which gives reach is not taken")
	members, err := s.owner.GroupDevices(ctx, "desks", client.Page{})
	require.NoError(t, err)
	require.Len(t, members.Items, 2)
	assert.Equal(t, id, members.Items[0].DeviceID)
	assert.Empty(t, members.Items[1].DeviceID, "the other name is expected")
}
