package changes_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/gate"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/uow/uowtest"
	"rankwarden.example/internal/room/changes"
	"rankwarden.example/internal/store"
)

// move sets the path of the first devices, and gives how that was answered.
func (f *fleet) move(n int, path string) string {
	var edits []changes.Facts
	for _, name := range f.names[:n] {
		edits = append(edits, changes.Facts{Device: name, Path: &path})
	}
	return uowtest.Code(f.SetFacts(f.t.Context(), owner, edits, asking))
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
		f := newFleet(t, c.fleet, gate.Rules{Brake: gate.DefaultBrake})
		assert.Equal(t, c.want, f.move(c.moved, "pier"), "%d of %d", c.moved, c.fleet)
	}
	off := newFleet(t, 40, gate.Rules{})
	assert.Equal(t, "done", off.move(40, "pier"), "without a brake nothing waits")
}

// What waits is not done; whoever releases it does it, and nobody decides twice.
func TestWhatTheBrakeHolds(t *testing.T) {
	f := newFleet(t, 40, gate.Rules{Brake: gate.DefaultBrake})
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
	one, err := f.BrakeHeld(ctx, held[0].ID)
	require.NoError(t, err)
	assert.Equal(t, 10, one.Altering)
	assert.Equal(t, changes.Altered{Object: "SKL-TKT-001", What: "path", After: "pier"}, one.Alters[0],
		"whoever decides sees what is before and after")

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

// What facts would alter is said before anything is set.
func TestFactsAreTried(t *testing.T) {
	f := newFleet(t, 4, gate.Rules{})
	ctx := t.Context()
	pier, tags := "pier", []string{"loaner", "kiosk", "kiosk"}
	require.NoError(t, f.SetFacts(ctx, owner, []changes.Facts{{Device: f.names[3], Path: &pier}}, asking))
	f.open()
	nowhere := ""
	trial, err := f.TryFacts(ctx, owner, []changes.Facts{
		{Device: "skl-tkt-001", Path: &pier, Tags: &tags}, {Device: f.names[3], Path: &nowhere},
		{Device: f.names[1], Path: &nowhere}, {Device: "SKL-TKT-999", Path: &pier},
	})
	require.NoError(t, err)
	assert.Equal(t, changes.FactsTrial{
		Altered: []changes.Altered{
			{Object: "SKL-TKT-001", What: "path", After: "pier"},
			{Object: "SKL-TKT-001", What: "tags", After: "kiosk loaner"},
			{Object: "SKL-TKT-004", What: "path", Before: "pier"},
		},
		Devices: 2, Unknown: []string{"SKL-TKT-999"},
		Groups: []changes.Shift{{Group: "pier", Joins: []string{"SKL-TKT-001"}, Leaves: []string{"SKL-TKT-004"}}},
	}, trial)
	d, err := f.Read(ctx).Device(f.Clock(), f.names[0], "skl-tkt-001")
	require.NoError(t, err)
	assert.Empty(t, d.Path, "nothing is set")

	long := strings.Repeat("p", 5000)
	_, err = f.TryFacts(ctx, owner, []changes.Facts{{Device: f.names[0], Path: &long}})
	assert.Error(t, err)
	twice := []changes.Facts{{Device: "skl-tkt-001", Path: &pier}, {Device: f.names[0], Tags: &tags}}
	assert.ErrorContains(t, f.SetFacts(ctx, owner, twice, asking), `"skl-tkt-001" and "SKL-TKT-001" are one device`)
}

// A rule that moves many devices must be looked at, and its kind never changes.
func TestARuleThatMovesManyIsLookedAt(t *testing.T) {
	f := newFleet(t, 40, gate.Rules{Brake: gate.DefaultBrake})
	ctx := t.Context()
	everywhere := `device.platform == "windows"`
	edit := func(asking changes.Asking) error {
		_, err := f.ChangeGroup(ctx, owner, "pier", devicegroups.Edit{Rule: &everywhere}, 1, asking)
		return err
	}
	assert.Equal(t, "look_first", uowtest.Code(edit(asking)))
	g, err := f.Read(ctx).Group("pier")
	require.NoError(t, err)
	assert.Equal(t, `device.path == "pier"`, g.Rule)
	assert.Equal(t, "preview_changed", uowtest.Code(edit(changes.Asking{Seen: "sha-256:before"})))
	require.NoError(t, looked(edit))
	none := ""
	_, err = f.ChangeGroup(ctx, owner, "pier", devicegroups.Edit{Rule: &none}, 2, asking)
	assert.ErrorContains(t, err, "cannot change between a list and a rule")
	_, err = f.ChangeGroup(ctx, owner, "pier", devicegroups.Edit{Add: f.names[:1]}, 2, asking)
	assert.ErrorContains(t, err, "follow its rule")
}

// A group that something needs stays.
func TestGroupsInUseStay(t *testing.T) {
	f := newFleet(t, 1, gate.Rules{})
	ctx := t.Context()
	assert.ErrorContains(t, f.RemoveGroup(ctx, owner, "pier", 1, asking), "is named by the assignments piers")
	_, err := f.AddGroup(ctx, owner, "desks", devicegroups.Spec{Devices: f.names}, asking)
	require.NoError(t, err)
	_, err = f.AddGroup(ctx, owner, "desks", devicegroups.Spec{}, asking)
	assert.ErrorContains(t, err, "desks")
	assert.ErrorContains(t, f.RemoveGroup(ctx, owner, "desks", 7, asking), "", "over another version")
	require.NoError(t, f.RemoveGroup(ctx, owner, "desks", 1, asking))
	assert.ErrorContains(t, f.RemoveGroup(ctx, owner, "everything", 1, asking), "built-in")
	for name, bad := range map[string]devicegroups.Spec{
		"Not a name": {}, "both": {Devices: f.names, Rule: "true"}, "rule": {Rule: "device."},
	} {
		_, err := f.AddGroup(ctx, owner, name, bad, asking)
		assert.Error(t, err, name)
	}
}
