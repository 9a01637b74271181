package store_test

import (
	"errors"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/edit"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/store/storetest"
)

var may = time.Date(2026, 5, 4, 8, 0, 0, 0, time.UTC)

func group(name string) store.Group {
	return store.Group{ID: name, Name: name, Version: 1, CreatedAt: may, UpdatedAt: may}
}

// What the records refuse is told by kind, whatever PostgreSQL calls it.
func TestErrorsOfTheRecords(t *testing.T) {
	db, _ := harbour(t)
	for name, c := range map[string]struct {
		do func(tx store.DoorWriter) error
		is error
	}{
		"a name that is taken": {func(tx store.DoorWriter) error { return tx.AddGroup(group("pier")) },
			store.ErrExists},
		"another version": {func(tx store.DoorWriter) error { return tx.SetGroup(group("pier"), 7) },
			store.ErrStale},
		"removing another version": {func(tx store.DoorWriter) error { return tx.RemoveGroup("pier", 7) },
			store.ErrStale},
		"a NUL in a text": {func(tx store.DoorWriter) error {
			g := group("pier")
			g.Description = "a\x00b"
			return tx.SetGroup(g, 1)
		}, store.ErrText},
		"what another record needs": {func(tx store.DoorWriter) error {
			return tx.AddPolicyRevision(store.PolicyRevision{PolicyID: "none", Number: 1, PublishedAt: may})
		}, store.ErrInUse},
		"nothing there": {func(tx store.DoorWriter) error { _, err := tx.Group("mole"); return err },
			store.ErrNotFound},
	} {
		t.Run(name, func(t *testing.T) {
			assert.ErrorIs(t, storetest.Try(t, db, c.do), c.is)
		})
	}
}

// A transaction that fails leaves nothing, and one that goes back to its mark keeps what it did before.
func TestTransactions(t *testing.T) {
	db, _ := harbour(t)
	failed := errors.New("no")
	require.ErrorIs(t, storetest.Try(t, db, func(tx store.DoorWriter) error {
		require.NoError(t, tx.AddGroup(group("mole")))
		return failed
	}), failed)
	_, err := db.With(t.Context()).Group("mole")
	assert.ErrorIs(t, err, store.ErrNotFound)
	storetest.Write(t, db, func(tx store.DoorWriter) error {
		require.NoError(t, tx.AddGroup(group("mole")))
		require.NoError(t, tx.Mark())
		require.ErrorIs(t, tx.AddGroup(group("mole")), store.ErrExists)
		require.NoError(t, tx.BackToMark())
		return tx.AddGroup(group("dock"))
	})
	for _, name := range []string{"mole", "dock"} {
		_, err := db.With(t.Context()).Group(name)
		assert.NoError(t, err, name)
	}
}

// A list comes in pages without a gap or a repetition, also when its last page is full; a cursor of nobody is refused.
func TestPages(t *testing.T) {
	db, _ := storetest.Open(t)
	storetest.Write(t, db, func(tx store.DoorWriter) error {
		for i := range 6 {
			if err := tx.AddGroup(group(fmt.Sprintf("pier-%d", i))); err != nil {
				return err
			}
		}
		return nil
	})
	for limit, pages := range map[int]int{1: 6, 4: 2, 3: 2, 6: 1, 500: 1} {
		var names []string
		page, n := store.Page{Limit: limit}, 0
		for {
			list, next, err := db.With(t.Context()).ListGroups("", page)
			require.NoError(t, err)
			n++
			for _, g := range list {
				names = append(names, g.Name)
			}
			if page.Cursor = next; next == "" {
				break
			}
		}
		assert.Equal(t, []string{"pier-0", "pier-1", "pier-2", "pier-3", "pier-4", "pier-5"}, names, limit)
		assert.Equal(t, pages, n, limit)
	}
	for _, cursor := range []string{"x", "W10", "eyJhIjoxfQ", "WzFd"} {
		_, _, err := db.With(t.Context()).ListGroups("", store.Page{Cursor: cursor})
		if cursor != "W10" { // [] begins at the beginning
			assert.ErrorIs(t, err, store.ErrCursor, cursor)
		}
	}
}

// Edits of a change keep their places: one that takes the place of another stays where that was.
func TestEditsKeepTheirPlaces(t *testing.T) {
	db, _ := storetest.Open(t)
	storetest.Write(t, db, func(tx store.DoorWriter) error {
		if err := tx.AddChange(store.Change{ID: "c", Name: "longer", State: store.ChangeDraft, Version: 1,
			CreatedAt: may, UpdatedAt: may, Needs: []string{}}); err != nil {
			return err
		}
		for i, e := range []edit.Edit{
			{Kind: edit.Publish, Name: "lamps", Document: "1"}, {Kind: edit.Withdraw, Name: "piers", BasedOn: 3},
			{Kind: edit.Group, Name: "lamps", Group: &edit.GroupBody{Devices: []string{"SKL-TKT-001"}}},
			{Kind: edit.Publish, Name: "lamps", Document: "2", BasedOn: 4},
		} {
			record, err := store.NewChangeEdit("c", e)
			if err != nil {
				return err
			}
			record.EditedAt, record.EditedBy, record.Version = may, "runa", int64(i+2)
			if err := tx.PutChangeEdit(record); err != nil {
				return err
			}
		}
		return nil
	})
	records, err := db.With(t.Context()).ChangeEdits("c")
	require.NoError(t, err)
	var said []string
	for _, r := range records {
		e, err := r.Edit()
		require.NoError(t, err)
		said = append(said, fmt.Sprint(e.Kind, " ", e.Name, " ", e.Document, " ", e.BasedOn, " ", r.Version))
	}
	assert.Equal(t, []string{"publish lamps 2 4 5", "withdraw piers  3 3", "group lamps  0 4"}, said)
	_, err = store.ChangeEdit{Body: "no JSON"}.Edit()
	assert.ErrorContains(t, err, "reading an edit")
	earlier, err := store.ChangeEdit{Kind: "publish", Name: "lamps", BasedOn: 2, Body: `{"document": "1"}`}.Edit()
	require.NoError(t, err)
	assert.Equal(t, edit.Edit{Kind: edit.Publish, Name: "lamps", Document: "1", BasedOn: 2}, earlier)
}
