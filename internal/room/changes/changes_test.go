package changes_test

import (
	"errors"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/gate"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/store/storetest"
)

func TestPublishing(t *testing.T) {
	f := newFleet(t, 2, gate.Rules{})
	ctx, deployer := t.Context(), operator(nil, rights.Deployer)
	save := func(length int, over int64) int64 {
		p, _, err := f.SavePolicy(ctx, author, "lamps", fmt.Sprintf(lamps, length), over)
		require.NoError(t, err)
		return p.Version
	}
	over := save(20, 1)
	out, err := f.PublishPolicy(ctx, deployer, "lamps", over, asking)
	require.NoError(t, err)
	assert.Equal(t, 2, out.Policy.Revision)
	assert.Equal(t, []string{"piers"}, out.Moved)
	a, err := f.Assignment(ctx, "piers")
	require.NoError(t, err)
	assert.Equal(t, 2, a.Revision)
	c, err := f.Change(ctx, "lamps")
	require.NoError(t, err)
	assert.Equal(t, store.ChangeDone, c.State, "it was a change of one edit, named after it")

	_, err = f.PublishPolicy(ctx, deployer, "lamps", out.Policy.Version, asking)
	refused(t, err, refusal.Conflict, "nothing_to_publish")
	over = save(22, out.Policy.Version)
	_, err = f.PublishPolicy(ctx, deployer, "lamps", over-1, asking)
	refused(t, err, refusal.Stale, "")
	_, err = f.PublishPolicy(ctx, operator(nil, rights.Author), "lamps", over, asking)
	refused(t, err, refusal.Forbidden, "")
	storetest.Write(t, f.db, func(tx store.DoorWriter) error {
		return tx.SetFacts(f.devices[0].ID, "pier", []string{}, "")
	})
	storetest.Write(t, f.db, func(tx store.DoorWriter) error {
		return devicegroups.FactsChanged(tx, nobody{}, "", []string{f.devices[0].ID})
	})
	_, err = f.PublishPolicy(ctx, operator([]string{"quay"}, rights.Deployer), "lamps", over, asking)
	refused(t, err, refusal.Forbidden, "out_of_reach")
	_, err = f.PublishPolicy(ctx, deployer, "lanterns", 1, asking)
	refused(t, err, refusal.NotFound, "")
}

// nobody is told of nothing.
type nobody struct{}

func (nobody) Tell(string, ...string)            {}
func (nobody) Settle(string, []string, []string) {}

func TestAimingRefusesWhatADeviceCouldBringAbout(t *testing.T) {
	f := newFleet(t, 1, gate.Rules{})
	ctx := t.Context()
	for name, rule := range map[string]string{"old-builds": "device.os_build < 22000",
		"desks": `device.path.startsWith("desk")`} {
		_, err := f.AddGroup(ctx, owner, name, devicegroups.Spec{Rule: rule}, asking)
		require.NoError(t, err)
	}
	aim := func(name string, a assign.Assignment) error {
		a.Name, a.Policy, a.Rank = name, "lamps", 10
		_, err := f.NewAssignment(ctx, operator(nil, rights.Deployer), a, asking)
		return err
	}
	refused(
		t,
		aim("all", assign.Assignment{Include: []string{"everything"}, Exclude: []string{"old-builds"}}),
		refusal.Invalid,
		"excluded_by_device_fact",
	)
	err := aim("peers", assign.Assignment{Include: []string{"peer"}})
	refused(t, err, refusal.Invalid, "unknown_group")
	assert.ErrorContains(t, err, `did you mean "pier"?`)
	require.NoError(t, aim("old", assign.Assignment{Include: []string{"old-builds"}, Exclude: []string{"desks"}}))
	a, err := f.Assignment(ctx, "old")
	require.NoError(t, err)
	assert.Equal(t, 1, a.Revision, "the latest revision is in force")

	_, _, err = f.NewPolicy(ctx, author, "format: rankwarden.policy/1\nname: bells\npasswords: {min_length: 9}\n")
	require.NoError(t, err)
	_, err = f.NewAssignment(ctx, operator(nil, rights.Deployer), assign.Assignment{Name: "bells", Policy: "bells",
		Include: []string{"everything"}, Rank: 3}, asking)
	assert.ErrorContains(t, err, "publish it first")
}

// Whoever may deploy on some devices must not widen that by an edit of groups.
func TestGroupsThatGiveReach(t *testing.T) {
	f := newFleet(t, 2, gate.Rules{})
	add := func(who rights.Identity) error {
		_, err := f.AddGroup(t.Context(), who, "north-pier", devicegroups.Spec{Devices: f.names[:1]}, asking)
		return err
	}
	refused(t, add(operator([]string{"south-pier"}, rights.Deployer)), refusal.Forbidden, "out_of_reach")
	storetest.Write(t, f.db, func(tx store.DoorWriter) error {
		return errors.Join(tx.SetProviderReach([]string{"south-pier"}),
			tx.AddOperator(store.Operator{ID: "o", Name: "runa", CreatedAt: f.Now(), DisabledAt: new(f.Now()),
				Grants: []rights.Grant{{Role: rights.Support, Groups: []string{"north-pier"}}}}))
	})
	refused(t, add(operator(nil, rights.Deployer)), refusal.Forbidden, "group_gives_reach") // disabled or not
	_, err := f.AddGroup(t.Context(), operator(nil, rights.Deployer), "south-pier", devicegroups.Spec{}, asking)
	refused(t, err, refusal.Forbidden, "group_gives_reach") // nobody of the provider has come yet
	require.NoError(t, add(operator(nil, rights.Owner)))
	_, err = f.AddGroup(t.Context(), operator(nil, rights.Owner), "everything", devicegroups.Spec{}, asking)
	refused(t, err, refusal.Invalid, "")
}
