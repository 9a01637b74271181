package reporting_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/base/uow/uowtest"
	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/room/reporting"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/store/storetest"
)

func TestMain(m *testing.M) { storetest.Run(m) }

// room is the room over a real database with three devices: one on the pier, one on the quay, one in no group. Each has
// an open finding and a waiver that waits, and somebody asked to see a password of each.
type room struct {
	*reporting.Service
	db      *store.Store
	devices []store.Device
}

func open(t *testing.T) *room {
	db, _ := storetest.Open(t)
	now := time.Now()
	r := &room{db: db, devices: storetest.Devices(t, db, now, "SKL-TKT-001", "SKL-BRG-001", "SKL-HQ-001")}
	storetest.Write(t, db, func(tx store.DoorWriter) error {
		for i, g := range []string{"pier", "quay"} {
			if err := tx.AddGroup(store.Group{ID: g, Name: g, Version: 1, CreatedAt: now, UpdatedAt: now}); err != nil {
				return err
			}
			if err := tx.AddToGroup(g, []string{r.devices[i].NameKey}); err != nil {
				return err
			}
		}
		for _, d := range r.devices {
			if err := tx.AddFindings([]store.Finding{{DeviceID: d.ID, Key: "k", Unit: "lockout", Kind: "wrong_value",
				Assignments: []string{}, State: store.FindingOpen, FirstSeen: now, LastSeen: now}}); err != nil {
				return err
			}
			if err := tx.AddWaivers([]store.Waiver{{ID: d.ID, DeviceID: d.ID, Unit: "lockout", Words: "differs",
				State: store.WaiverWaiting, Until: now.Add(time.Hour), MadeBy: "runa", MadeAt: now}}); err != nil {
				return err
			}
			if err := tx.AddApproval(store.Approval{ID: d.ID, DeviceID: d.ID, Target: "account:keeper",
				AskedBy: "egil", Reason: "ticket 12", AskedAt: now, EndsAt: now.Add(time.Hour)}); err != nil {
				return err
			}
		}
		return tx.PutStandingHours([]store.StandingHour{{GroupName: "", Hour: now, InStep: 3},
			{GroupName: "pier", Hour: now, InStep: 1}})
	})
	r.Service = &reporting.Service{View: uowtest.View(t, db, &notices.Hub{}), Scopes: &cache.Scopes{},
		Room: uowtest.Over(db, func(r store.Reader) reporting.Reads { return r },
			func(w store.Writer) reporting.Records { return w })}
	return r
}

func operator(role rights.Role, groups ...string) rights.Identity {
	return rights.Identity{Name: "asta", Grants: []rights.Grant{{Role: role, Groups: groups}}}
}

// Whatever is asked, only devices in reach are in the answer, and what concerns the whole service only where reach is
// everywhere.
func TestAnswersStayInReach(t *testing.T) {
	r := open(t)
	ctx := t.Context()
	for name, c := range map[string]struct {
		who     rights.Identity
		devices int
		service bool // whether decisions of the service are told
	}{
		"everything":     {operator(rights.Viewer), 3, true},
		"one group":      {operator(rights.Viewer, "pier"), 1, false},
		"two groups":     {operator(rights.Viewer, "pier", "quay"), 2, false},
		"no such group":  {operator(rights.Viewer, "mole"), 0, false},
		"no right":       {rights.Identity{Name: "nobody"}, 0, false},
		"of another one": {operator(rights.Author, "quay"), 1, false},
	} {
		t.Run(name, func(t *testing.T) {
			list, _, err := r.Devices(ctx, c.who, reporting.DeviceFilter{}, store.Page{})
			require.NoError(t, err)
			assert.Len(t, list, c.devices)
			counts, err := r.CountDevices(ctx, c.who, reporting.DeviceFilter{})
			require.NoError(t, err)
			assert.Equal(t, c.devices, counts.Total())
			findings, _, err := r.Findings(ctx, c.who, reporting.FindingFilter{}, store.Page{})
			require.NoError(t, err)
			assert.Len(t, findings, c.devices)
			waivers, _, err := r.Waivers(ctx, c.who, reporting.WaiverFilter{}, store.Page{})
			require.NoError(t, err)
			assert.Len(t, waivers, c.devices)
			watch, err := r.Watch(ctx, c.who, "")
			require.NoError(t, err)
			assert.Equal(t, c.devices, watch.Verified.Devices)
			assert.Len(t, watch.Findings, c.devices)
			kinds := map[string]int{}
			for _, d := range watch.Decisions {
				kinds[d.Kind] += max(1, d.Devices)
			}
			assert.Equal(t, c.devices, kinds[reporting.DecideReveal])
			assert.Equal(t, c.devices, kinds[reporting.DecideWaiver])
			assert.Equal(t, c.service, kinds[reporting.DecideNoKey] == 1)
		})
	}
}

// A device out of reach is as if there were none.
func TestADeviceOutOfReach(t *testing.T) {
	r := open(t)
	_, err := r.Device(t.Context(), operator(rights.Viewer, "pier"), "SKL-BRG-001")
	assert.ErrorContains(t, err, "SKL-BRG-001")
	_, unknown := r.Device(t.Context(), operator(rights.Viewer, "pier"), "SKL-BRG-009")
	assert.Equal(t, uowtest.Code(unknown), uowtest.Code(err))
	d, err := r.Device(t.Context(), operator(rights.Viewer, "pier"), r.devices[0].ID)
	require.NoError(t, err)
	assert.Equal(t, "SKL-TKT-001", d.Name)
}

// How a group stood is told to those who reach it, and how the fleet stood to those who reach all of it.
func TestHistoryStaysInReach(t *testing.T) {
	r := open(t)
	for name, c := range map[string]struct {
		who   rights.Identity
		group string
		hours int
	}{
		"the fleet":                {operator(rights.Viewer), "", 1},
		"the fleet by its group":   {operator(rights.Viewer), "everything", 1},
		"a group":                  {operator(rights.Viewer), "pier", 1},
		"its own group":            {operator(rights.Viewer, "pier"), "pier", 1},
		"the fleet out of reach":   {operator(rights.Viewer, "pier"), "", 0},
		"another group":            {operator(rights.Viewer, "quay"), "pier", 0},
		"the fleet, by its group":  {operator(rights.Viewer, "pier"), "everything", 0},
		"a group without a record": {operator(rights.Viewer, "quay"), "quay", 0},
	} {
		hours, err := r.StandingHistory(t.Context(), c.who, c.group, 2)
		require.NoError(t, err)
		assert.Len(t, hours, c.hours, name)
	}
	_, err := r.StandingHistory(t.Context(), operator(rights.Viewer), "mole", 2)
	assert.ErrorContains(t, err, "mole")
}

// The trail's state is told to whoever may read the trail, the sealed owner's use to whoever administers, and a freeze
// to everybody.
func TestWhoIsToldOfWhat(t *testing.T) {
	r := open(t)
	storetest.Write(t, r.db, func(tx store.DoorWriter) error {
		if err := tx.SetFreeze(store.Freeze{What: store.FreezeAll, By: "asta", Reason: "a storm",
			At: time.Now()}); err != nil {
			return err
		}
		at := time.Now()
		return tx.AddOperator(store.Operator{ID: "s", Name: "sealed", CreatedAt: at, SealedAt: &at, OpenedAt: &at,
			Grants: []rights.Grant{{Role: rights.Owner}}})
	})
	for role, told := range map[rights.Role]bool{rights.Owner: true, rights.Viewer: false, rights.Deployer: false} {
		watch, err := r.Watch(t.Context(), operator(role), "")
		require.NoError(t, err)
		kinds := map[string]bool{}
		for _, d := range watch.Decisions {
			kinds[d.Kind] = true
		}
		assert.Equal(t, told, kinds[reporting.DecideSealed], role)
		assert.True(t, kinds[reporting.DecideFrozen], role)
	}
}
