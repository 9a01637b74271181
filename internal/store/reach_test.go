package store_test

import (
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/store/storetest"
)

// harbour is a fleet of four: a is on the pier, b too but not certainly, c on the quay, d in no group.
func harbour(t *testing.T) (*store.Store, []store.Device) {
	db, _ := storetest.Open(t)
	now := time.Now()
	devices := storetest.Devices(t, db, now, "A", "B", "C", "D")
	storetest.Write(t, db, func(tx store.DoorWriter) error {
		for _, g := range []string{"pier", "quay", "empty"} {
			if err := tx.AddGroup(store.Group{ID: g, Name: g, Version: 1, CreatedAt: now, UpdatedAt: now}); err != nil {
				return err
			}
		}
		return errors.Join(tx.PutMemberships([]store.Membership{{Name: "pier", Device: devices[0].ID, Certain: true},
			{Name: "pier", Device: devices[1].ID}}), tx.AddToGroup("quay", []string{"c", "not-enrolled"}))
	})
	return db, devices
}

// reachOf is the reach of an operator who may look at groups; at everything without any.
func reachOf(groups ...string) rights.Reach {
	return rights.Identity{Grants: []rights.Grant{{Role: rights.Viewer, Groups: groups}}}.Reach(rights.Look)
}

// A device is in reach when it is certainly in a group of it. What may be in a group gives nobody a right.
func TestReachIsWhatIsCertain(t *testing.T) {
	db, devices := harbour(t)
	r := db.With(t.Context())
	ids := []string{devices[0].ID, devices[1].ID, devices[2].ID, devices[3].ID}
	for name, c := range map[string]struct {
		groups  []string
		outside int // of the four devices
		names   int // of the names a, b, and one that nobody has
		first   string
	}{
		"everything":         {nil, 0, 1, ""},
		"the pier":           {[]string{"pier"}, 3, 2, "B"},
		"the quay":           {[]string{"quay"}, 3, 3, "A"},
		"both":               {[]string{"pier", "quay"}, 2, 2, "B"},
		"an empty group":     {[]string{"empty"}, 4, 3, "A"},
		"a group that is no": {[]string{"mole"}, 4, 3, "A"},
	} {
		t.Run(name, func(t *testing.T) {
			reach := reachOf(c.groups...)
			n, err := r.CountDevicesOutside(reach, ids)
			require.NoError(t, err)
			assert.Equal(t, c.outside, n)
			n, err = r.CountOutside(reach, []string{"a", "b", "nobody"})
			require.NoError(t, err)
			assert.Equal(t, c.names, n)
			first, err := r.OutOfReach(reach, ids)
			require.NoError(t, err)
			assert.Equal(t, c.first, first)
		})
	}
}

// What an assignment reaches, or may reach, counts against whoever makes it; an exclusion helps only where it is
// certain.
func TestWhatAnAimReachesOutside(t *testing.T) {
	db, _ := harbour(t)
	for name, c := range map[string]struct {
		aim  store.Aim
		want int
	}{
		"its own group":            {store.Aim{Include: []string{"quay"}}, 0},
		"another group":            {store.Aim{Include: []string{"pier"}}, 2},
		"everything":               {store.Aim{Include: []string{"everything"}}, 3},
		"everything but the pier":  {store.Aim{Include: []string{"everything"}, Exclude: []string{"pier"}}, 2},
		"everything within its":    {store.Aim{Include: []string{"everything"}, Within: []string{"quay"}}, 0},
		"everything within others": {store.Aim{Include: []string{"everything"}, Within: []string{"pier"}}, 2},
		"nothing":                  {store.Aim{}, 0},
	} {
		n, err := db.With(t.Context()).CountAimedOutside(reachOf("quay"), c.aim)
		require.NoError(t, err)
		assert.Equal(t, c.want, n, name)
	}
}

// The names of a group are shown as far as reach goes; names that no device has only to whoever sees everything.
func TestNamesOfAGroupInReach(t *testing.T) {
	db, _ := harbour(t)
	for name, c := range map[string]struct {
		groups []string
		want   []string
	}{
		"everything": {nil, []string{"C", "not-enrolled"}}, "the quay": {[]string{"quay"}, []string{"C"}},
		"the pier": {[]string{"pier"}, nil},
	} {
		list, _, err := db.With(t.Context()).ListGroupMembers(reachOf(c.groups...), "quay", store.Page{})
		require.NoError(t, err)
		var names []string
		for _, m := range list {
			names = append(names, m.Name)
		}
		assert.Equal(t, c.want, names, name)
	}
	outside, err := db.With(t.Context()).CountMembersOutside(reachOf("quay"), "quay")
	require.NoError(t, err)
	assert.Equal(t, 1, outside, "the name that no device has")
}
