package organisation_test

import (
	"errors"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/uow/uowtest"
	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/room/organisation"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/store/storetest"
)

// fleet is the room over a real database with devices, a group of those on the pier, and a policy for that group.
type fleet struct {
	*organisation.Service
	t     *testing.T
	db    *store.Store
	view  *fleetview.View
	names []string
}

var owner = operator(nil, rights.Owner)

func newFleet(t *testing.T, devices int, brake organisation.Brake) *fleet {
	db, _ := storetest.Open(t)
	now := time.Now()
	f := &fleet{t: t, db: db, view: fleetview.New()}
	for i := range devices {
		f.names = append(f.names, fmt.Sprintf("SKL-TKT-%03d", i+1))
	}
	storetest.Devices(t, db, now, f.names...)
	storetest.Write(t, db, func(tx store.Writer) error {
		source := "format: rankwarden.policy/1\nname: lamps\npasswords: {min_length: 12}\n"
		p := store.Policy{ID: "p", Name: "lamps", Source: source, Version: 1, Revision: 1, CreatedAt: now,
			UpdatedAt: now}
		g := store.Group{ID: "g", Name: "pier", Rule: `device.path == "pier"`, Version: 1, CreatedAt: now,
			UpdatedAt: now}
		return errors.Join(tx.AddPolicy(p), tx.AddGroup(g),
			tx.AddPolicyRevision(store.PolicyRevision{PolicyID: "p", Number: 1, Source: source, PublishedAt: now}),
			tx.AddAssignment(store.Assignment{ID: "a", Name: "piers", PolicyID: "p", Revision: 1,
				Include: []string{"pier"},
				Exclude: []string{}, Within: []string{}, Rank: 10, Stance: "enforce", Version: 1, CreatedAt: now,
				UpdatedAt: now}))
	})
	f.view = uowtest.View(t, db, &notices.Hub{})
	room := uowtest.Over(db, func(r store.Reader) organisation.Reads { return r },
		func(w store.Writer) organisation.Records { return w })
	f.Service = &organisation.Service{Room: room, Locks: db, Documents: cache.NewDocuments(), View: f.view,
		Brake: brake}
	return f
}

// move sets the path of the first devices, and gives how that was answered.
func (f *fleet) move(n int, path string) string {
	var edits []organisation.Facts
	for _, name := range f.names[:n] {
		edits = append(edits, organisation.Facts{Device: name, Path: &path})
	}
	return uowtest.Code(f.SetFacts(f.t.Context(), owner, edits))
}

// Five devices may always be altered, and two percent of a large fleet; more waits for a decision.
func TestTheBrakesFloor(t *testing.T) {
	for _, c := range []struct {
		fleet, moved int
		want         string
	}{
		{40, 5, "done"},
		{40, 6, "brake_holds"}, // two percent of 40 are none
		{400, 8, "done"},
		{400, 9, "brake_holds"},
	} {
		f := newFleet(t, c.fleet, organisation.Brake{Percent: 2, Administrators: 25})
		assert.Equal(t, c.want, f.move(c.moved, "pier"), "%d of %d", c.moved, c.fleet)
	}
	off := newFleet(t, 40, organisation.Brake{})
	assert.Equal(t, "done", off.move(40, "pier"), "without a brake nothing waits")
}

// What waits is not done; whoever releases it does it, and nobody decides twice.
func TestWhatTheBrakeHolds(t *testing.T) {
	f := newFleet(t, 40, organisation.Brake{Percent: 2, Administrators: 25})
	ctx := t.Context()
	require.Equal(t, "brake_holds", f.move(10, "pier"))
	d, err := f.Read(ctx).Device(f.Clock(), f.names[0], "skl-tkt-001")
	require.NoError(t, err)
	assert.Empty(t, d.Path, "nothing was done yet")
	held, _, err := f.HeldByBrake(ctx, false, store.Page{})
	require.NoError(t, err)
	require.Len(t, held, 1)
	assert.Equal(t, 10, held[0].Devices)
	assert.Equal(t, 40, held[0].Fleet)

	_, err = f.DecideBrake(ctx, operator(nil, rights.Deployer), held[0].ID, true, "they moved")
	assert.ErrorContains(t, err, "you may not do this", "facts are an owner's")
	_, err = f.DecideBrake(ctx, owner, held[0].ID, true, " ")
	assert.ErrorContains(t, err, "say why")
	_, err = f.DecideBrake(ctx, owner, held[0].ID, true, "they moved")
	require.NoError(t, err)
	d, err = f.Read(ctx).Device(f.Clock(), f.names[0], "skl-tkt-001")
	require.NoError(t, err)
	assert.Equal(t, "pier", d.Path)
	_, err = f.DecideBrake(ctx, owner, held[0].ID, false, "no")
	assert.Equal(t, "decided_already", uowtest.Code(err))

	require.Equal(t, "brake_holds", f.move(20, "quay"))
	waiting, _, err := f.HeldByBrake(ctx, false, store.Page{})
	require.NoError(t, err)
	require.Len(t, waiting, 1)
	_, err = f.DecideBrake(ctx, owner, waiting[0].ID, false, "a typing mistake")
	require.NoError(t, err)
	d, err = f.Read(ctx).Device(f.Clock(), f.names[0], "skl-tkt-001")
	require.NoError(t, err)
	assert.Equal(t, "pier", d.Path, "refused is not done")
	all, _, err := f.HeldByBrake(ctx, true, store.Page{})
	require.NoError(t, err)
	assert.Len(t, all, 2)
}

// A rule that moves many devices is braked too, and its kind never changes.
func TestRulesAreBraked(t *testing.T) {
	f := newFleet(t, 40, organisation.Brake{Percent: 2, Administrators: 25})
	ctx := t.Context()
	everywhere := `device.platform == "windows"`
	_, err := f.ChangeGroup(ctx, owner, "pier", devicegroups.Edit{Rule: &everywhere}, 1)
	assert.Equal(t, "brake_holds", uowtest.Code(err))
	g, err := f.Group(ctx, "pier")
	require.NoError(t, err)
	assert.Equal(t, `device.path == "pier"`, g.Rule)
	none := ""
	_, err = f.ChangeGroup(ctx, owner, "pier", devicegroups.Edit{Rule: &none}, 1)
	assert.ErrorContains(t, err, "cannot change between a list and a rule")
	_, err = f.ChangeGroup(ctx, owner, "pier", devicegroups.Edit{Add: f.names[:1]}, 1)
	assert.ErrorContains(t, err, "follow its rule")
	trial, err := f.TryRule(ctx, owner, everywhere)
	require.NoError(t, err)
	assert.Equal(t, 40, trial.Holds)
	assert.Len(t, trial.Examples, 10)
	_, err = f.TryRule(ctx, owner, "device.platform ==")
	assert.Equal(t, "bad_rule", uowtest.Code(err))
}

// A group that something needs stays.
func TestGroupsInUseStay(t *testing.T) {
	f := newFleet(t, 1, organisation.Brake{})
	ctx := t.Context()
	assert.ErrorContains(t, f.RemoveGroup(ctx, owner, "pier", 1), "is named by the assignments piers")
	_, err := f.AddGroup(ctx, owner, "desks", devicegroups.Spec{Devices: f.names})
	require.NoError(t, err)
	_, err = f.AddGroup(ctx, owner, "desks", devicegroups.Spec{})
	assert.ErrorContains(t, err, "desks")
	assert.ErrorContains(t, f.RemoveGroup(ctx, owner, "desks", 7), "", "over another version")
	require.NoError(t, f.RemoveGroup(ctx, owner, "desks", 1))
	assert.ErrorContains(t, f.RemoveGroup(ctx, owner, "everything", 1), "built-in")
	for name, bad := range map[string]devicegroups.Spec{
		"Not a name": {}, "both": {Devices: f.names, Rule: "true"}, "rule": {Rule: "device."},
	} {
		_, err := f.AddGroup(ctx, owner, name, bad)
		assert.Error(t, err, name)
	}
}
