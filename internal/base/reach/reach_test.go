package reach_test

import (
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/store/storetest"
)

// pier is a database with two devices, of which the first is in the group "pier".
func pier(t *testing.T) (*store.Store, []store.Device) {
	db, _ := storetest.Open(t)
	now := time.Now()
	devices := storetest.Devices(t, db, now, "SKL-TKT-001", "SKL-HQ-001")
	storetest.Write(t, db, func(tx store.DoorWriter) error {
		return errors.Join(tx.AddGroup(store.Group{ID: "g", Name: "pier", Version: 1, CreatedAt: now, UpdatedAt: now}),
			tx.AddToGroup("g", []string{"skl-tkt-001"}))
	})
	return db, devices
}

func who(role rights.Role, groups ...string) rights.Identity {
	return rights.Identity{OperatorID: "1", Name: "egil", Grants: []rights.Grant{{Role: role, Groups: groups}}}
}

// A device out of reach is not there: the answer is that of a device that does not exist, and only the trail knows.
func TestADeviceOutOfReachIsNotThere(t *testing.T) {
	db, devices := pier(t)
	clock := store.Clock{Now: time.Now(), Interval: time.Minute}
	see := func(who rights.Identity, name string) (string, *refusal.Error) {
		d, err := reach.Visible(db.With(t.Context()), clock, who, name)
		var refused *refusal.Error
		errors.As(err, &refused)
		return d.Name, refused
	}
	for _, named := range []string{"SKL-TKT-001", "skl-tkt-001", devices[0].ID} {
		name, refused := see(who(rights.Viewer, "pier"), named)
		assert.Equal(t, "SKL-TKT-001", name)
		assert.Nil(t, refused)
	}
	name, hidden := see(who(rights.Viewer, "pier"), "SKL-HQ-001")
	assert.Empty(t, name, "nothing of it is given")
	_, missing := see(who(rights.Viewer, "pier"), "SKL-HQ-002")
	require.NotNil(t, hidden)
	require.NotNil(t, missing)
	assert.True(t, hidden.Hidden)
	assert.False(t, missing.Hidden)
	assert.Equal(t, missing.Kind, hidden.Kind)
	assert.Equal(t, missing.Code, hidden.Code)
	name, _ = see(who(rights.Viewer), "SKL-HQ-001")
	assert.Equal(t, "SKL-HQ-001", name, "a role without groups reaches every device")
	_, refused := see(rights.Identity{OperatorID: "2", Name: "gast"}, "SKL-TKT-001")
	assert.NotNil(t, refused, "and no role none")
}

func TestCheckNamesOneThatIsOutOfReach(t *testing.T) {
	db, devices := pier(t)
	both := []string{devices[0].ID, devices[1].ID}
	check := func(who rights.Identity, ids ...string) error {
		return reach.Check(db.With(t.Context()), who, rights.Deploy, ids)
	}
	assert.NoError(t, check(who(rights.Deployer, "pier"), devices[0].ID))
	assert.ErrorContains(t, check(who(rights.Deployer, "pier"), both...), "SKL-HQ-001")
	assert.NoError(t, check(who(rights.Deployer), both...))
	assert.Error(t, check(who(rights.Viewer), both...), "the right is asked, not only the role")
	assert.NoError(t, check(who(rights.Viewer)), "of no device")
}

// everything is a fleet in which both devices are in reach of whoever has reach anywhere.
type fleet struct{ ids []string }

func (f fleet) IDs(rights.Reach, string, int) ([]string, int) { return f.ids, len(f.ids) }

func TestListsOfThePastAreNarrowed(t *testing.T) {
	db, devices := pier(t)
	clock := store.Clock{Now: time.Now(), Interval: time.Minute}
	narrow := func(who rights.Identity, p reach.Past) (store.Narrow, error) {
		return reach.Narrow(db.With(t.Context()), fleet{[]string{devices[0].ID}}, clock, who, p)
	}
	n, err := narrow(who(rights.Viewer), reach.Past{})
	require.NoError(t, err)
	assert.Nil(t, n.Few, "everything is not looked at one by one")
	n, err = narrow(who(rights.Viewer, "pier"), reach.Past{})
	require.NoError(t, err)
	assert.Equal(t, []string{devices[0].ID}, n.Few)
	n, err = narrow(who(rights.Viewer), reach.Past{Group: "pier"})
	require.NoError(t, err)
	assert.Equal(t, []string{devices[0].ID}, n.Few)
	_, err = narrow(who(rights.Viewer), reach.Past{Group: "quay"})
	assert.ErrorContains(t, err, `there is no group "quay"`)
	n, err = narrow(who(rights.Viewer), reach.Past{Device: "skl-hq-001"})
	require.NoError(t, err)
	assert.Equal(t, []string{devices[1].ID}, n.Few)
	_, err = narrow(who(rights.Viewer, "pier"), reach.Past{Device: "SKL-HQ-001"})
	assert.Error(t, err)
}
