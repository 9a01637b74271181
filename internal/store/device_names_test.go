package store_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/store"
	"rankwarden.example/internal/store/storetest"
)

// Members are devices whatever they are called; a name that a device had is its own until a time.
func TestMembersKeepTheirPlaceUnderAnotherName(t *testing.T) {
	db, devices := harbour(t)
	c := devices[2]
	rename := func(name, key string, kept time.Duration) {
		storetest.Write(t, db, func(tx store.DoorWriter) error {
			return tx.RenameDevice(c, name, key, time.Now().Add(kept))
		})
		c.Name, c.NameKey = name, key
	}
	r := db.With(t.Context())
	rename("C2", "c2", time.Hour)
	list, err := r.GroupList("quay")
	require.NoError(t, err)
	assert.Equal(t, []string{"c2", "not-enrolled"}, list)
	kept, err := r.NameKeptBy("c")
	require.NoError(t, err)
	assert.Equal(t, c.ID, kept.ID)
	names, err := r.CurrentNames([]string{"a", "c", "nobody"})
	require.NoError(t, err)
	assert.Equal(t, []string{"a", "c2", "nobody"}, names)
	ids, err := r.LiveIDs([]string{"c"})
	require.NoError(t, err)
	assert.Equal(t, []string{c.ID}, ids)
	storetest.Write(t, db, func(tx store.DoorWriter) error { return tx.RemoveFromGroup("quay", []string{"c"}) })
	list, err = r.GroupList("quay")
	require.NoError(t, err)
	assert.Equal(t, []string{"not-enrolled"}, list, "it is taken out under its former name too")
	storetest.Write(t, db, func(tx store.DoorWriter) error { return tx.AddToGroup("quay", []string{"c"}) })
	list, err = r.GroupList("quay")
	require.NoError(t, err)
	assert.Equal(t, []string{"c2", "not-enrolled"}, list, "and put back")

	rename("C3", "c3", -time.Hour)
	_, err = r.NameKeptBy("c2")
	assert.ErrorIs(t, err, store.ErrNotFound, "its time is over")
	rename("C", "c", time.Hour)
	_, err = r.NameKeptBy("c")
	assert.ErrorIs(t, err, store.ErrNotFound, "it has the name again")
}

// A name that is expected becomes its device once, whoever put it there.
func TestAnExpectedNameIsTakenOnce(t *testing.T) {
	db, devices := harbour(t)
	storetest.Write(t, db, func(tx store.DoorWriter) error {
		return tx.JoinExpected(devices[3].ID, "not-enrolled")
	})
	r := db.With(t.Context())
	list, err := r.GroupList("quay")
	require.NoError(t, err)
	assert.Equal(t, []string{"c", "d"}, list)
	outside, err := r.CountDevicesOutside(reachOf("quay"), []string{devices[3].ID})
	require.NoError(t, err)
	assert.Zero(t, outside)
	storetest.Write(t, db, func(tx store.DoorWriter) error { return tx.TakeGroups(devices[1].ID, devices[3].ID) })
	groups, err := r.GroupsOf(devices[1].ID)
	require.NoError(t, err)
	assert.Len(t, groups, 2, "whoever takes a device's place is in its listed groups")
}
