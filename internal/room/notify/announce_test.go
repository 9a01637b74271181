package notify_test

import (
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/uow/uowtest"
	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/room/notify"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/store/storetest"
	"rankwarden.example/internal/wire/audit"
)

// room is the room over a real database with two devices, of which one is in the group "pier".
type room struct {
	*notify.Service
	t       *testing.T
	db      *store.Store
	devices []store.Device
}

func open(t *testing.T, events []string, groups ...string) *room {
	db, _ := storetest.Open(t)
	now := time.Now()
	r := &room{t: t, db: db, devices: storetest.Devices(t, db, now, "SKL-TKT-001", "SKL-HQ-001")}
	storetest.Write(t, db, func(tx store.DoorWriter) error {
		if err := tx.AddGroup(store.Group{ID: "g", Name: "pier", Version: 1, CreatedAt: now,
			UpdatedAt: now}); err != nil {
			return err
		}
		if err := tx.AddToGroup("g", []string{"skl-tkt-001"}); err != nil {
			return err
		}
		return tx.AddTarget(store.NotificationTarget{ID: "t", Name: "desk", NameKey: "desk", Kind: "webhook",
			Address: "https://skerryline.example", Events: events, Groups: append([]string{}, groups...), Enabled: true,
			Version: 1, CreatedAt: now})
	})
	hub := &notices.Hub{}
	r.Service = &notify.Service{
		Room: uowtest.Over(db, func(r store.Reader) notify.Reads { return r },
			func(w store.Writer) notify.Records { return w }),
		Locks: db, View: uowtest.View(t, db, hub), Hub: hub, Organisation: "Skerry Line", Since: now,
	}
	return r
}

// done puts entries on the trail, and gives what is on its way to the target after that.
func (r *room) done(entries ...audit.Entry) (kinds []string) {
	storetest.Write(r.t, r.db, func(tx store.DoorWriter) error {
		for _, e := range entries {
			e.At = time.Now()
			if e.Outcome == "" {
				e.Outcome = audit.Done
			}
			if err := tx.AppendAudit(e); err != nil {
				return err
			}
		}
		return nil
	})
	require.NoError(r.t, r.Announce(r.t.Context()))
	list, _, err := r.Read(r.t.Context()).ListDeliveries(store.DeliveryFilter{}, store.Page{})
	require.NoError(r.t, err)
	for _, d := range list {
		kinds = append(kinds, d.Kind)
	}
	slices.Sort(kinds)
	return kinds
}

// A target limited to groups is told of no device outside of them, and of what is about no device.
func TestATargetIsToldOfItsGroups(t *testing.T) {
	viewed := func(device store.Device) audit.Entry {
		return audit.Entry{Actor: "egil", Action: "password.revealed", Object: device.ID}
	}
	frozen := audit.Entry{Actor: "asta", Action: store.ServiceFrozen, Object: "service"}
	events := []string{notify.PasswordViewed, notify.Frozen}
	for _, c := range []struct {
		name   string
		groups []string
		device int
		want   []string
	}{
		{"a device of its group", []string{"pier"}, 0, []string{notify.PasswordViewed, notify.Frozen}},
		{"another device", []string{"pier"}, 1, []string{notify.Frozen}},
		{"every device, without groups", nil, 1, []string{notify.PasswordViewed, notify.Frozen}},
		{"a group that is gone", []string{"quay"}, 0, []string{notify.Frozen}},
	} {
		t.Run(c.name, func(t *testing.T) {
			r := open(t, events, c.groups...)
			assert.Equal(t, c.want, r.done(viewed(r.devices[c.device]), frozen))
		})
	}
}

// Each entry is told once, and only of the kinds that a target wants.
func TestAnEntryIsToldOnce(t *testing.T) {
	r := open(t, []string{notify.RolloutStopped, notify.Refused, notify.EditBraked})
	assert.Empty(t, r.done(audit.Entry{Actor: "asta", Action: "policy.published", Object: "lamps"}))
	stopped := audit.Entry{Actor: "service", Action: "rollout.gate_stopped", Object: "longer"}
	assert.Equal(t, []string{notify.RolloutStopped}, r.done(stopped))
	assert.Equal(t, []string{notify.RolloutStopped}, r.done(), "nothing is new")
	refused := audit.Entry{Actor: "egil", Action: "rollout.gate_stopped", Object: "longer", Outcome: audit.Refused}
	assert.Equal(t, []string{notify.Refused, notify.RolloutStopped}, r.done(refused), "an attempt is no stop")
	braked := audit.Entry{Actor: "asta", Action: "brake.held", Object: "pier"}
	assert.Equal(t, []string{notify.Refused, notify.EditBraked, notify.RolloutStopped}, sorted(r.done(braked)))
}

func sorted(list []string) []string { slices.SortFunc(list, byName); return list }

func byName(a, b string) int {
	order := []string{notify.Refused, notify.EditBraked, notify.RolloutStopped}
	return slices.Index(order, a) - slices.Index(order, b)
}

// Only owners keep targets, and a target goes where the network lets it.
func TestTargetsAreTheOwners(t *testing.T) {
	r := open(t, []string{})
	who := rights.Identity{OperatorID: "1", Name: "egil", Grants: []rights.Grant{{Role: rights.Deployer}}}
	assert.ErrorContains(t, r.DeleteTarget(t.Context(), who, "desk", 1), "may not do this")
	who.Grants = []rights.Grant{{Role: rights.Owner}}
	assert.ErrorContains(t, r.DeleteTarget(t.Context(), who, "lamp", 1), "there is no notification target")
	assert.Error(t, r.DeleteTarget(t.Context(), who, "desk", 9), "over another version")
	require.NoError(t, r.DeleteTarget(t.Context(), who, "desk", 1))
}
