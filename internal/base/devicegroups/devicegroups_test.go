package devicegroups_test

import (
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/uow/uowtest"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/store/storetest"
)

// told is what follows a change of groups.
type told struct{ topics, settled []string }

func (w *told) Tell(topic string, ids ...string)          { w.topics = append(w.topics, topic) }
func (w *told) Settle(_ string, groups, devices []string) { w.settled = append(w.settled, devices...) }

// ruled is a database with three devices and groups by rule.
func ruled(t *testing.T) (*store.Store, []store.Device) {
	db, _ := storetest.Open(t)
	now := time.Now()
	devices := storetest.Devices(t, db, now, "SKL-TKT-001", "SKL-TKT-002", "SKL-HQ-001")
	storetest.Write(t, db, func(tx store.DoorWriter) error {
		group := func(name, rule string) error {
			return tx.AddGroup(store.Group{ID: name, Name: name, Rule: rule, Version: 1, CreatedAt: now,
				UpdatedAt: now})
		}
		return errors.Join(group("pier", `device.path == "pier"`),
			group("tickets", `device.name.startsWith("SKL-TKT")`),
			group("desks", ""), tx.SetFacts(devices[0].ID, "pier", []string{}, ""))
	})
	return db, devices
}

func members(t *testing.T, db *store.Store, group string) (names []string) {
	names, err := db.With(t.Context()).GroupList(group)
	require.NoError(t, err)
	return names
}

func TestGroupsByRuleFollowFacts(t *testing.T) {
	db, devices := ruled(t)
	work := &told{}
	write := func(do func(tx store.DoorWriter) error) { storetest.Write(t, db, do) }
	write(func(tx store.DoorWriter) error { return devicegroups.FactsChanged(tx, work, "facts", ids(devices)) })
	assert.Equal(t, []string{"skl-tkt-001"}, members(t, db, "pier"))
	assert.Equal(t, []string{"skl-tkt-001", "skl-tkt-002"}, members(t, db, "tickets"))
	assert.ElementsMatch(t, []string{devices[0].ID, devices[1].ID}, work.settled,
		"who is in no other group is not settled")

	*work = told{}
	write(func(tx store.DoorWriter) error { return devicegroups.FactsChanged(tx, work, "facts", ids(devices)) })
	assert.Empty(t, work.settled, "nothing changed")
	assert.Empty(t, work.topics)

	write(func(tx store.DoorWriter) error {
		return errors.Join(tx.SetFacts(devices[0].ID, "quay", []string{}, ""),
			tx.SetFacts(devices[2].ID, "pier", []string{}, ""))
	})
	write(func(tx store.DoorWriter) error {
		return devicegroups.FactsChanged(tx, work, "facts", []string{devices[0].ID})
	})
	assert.Empty(t, members(t, db, "pier"), "only those whose facts changed are looked at")
	write(func(tx store.DoorWriter) error { return devicegroups.Rejoin(tx, work, devices[2].ID) })
	assert.Equal(t, []string{"skl-hq-001"}, members(t, db, "pier"))
	write(func(tx store.DoorWriter) error { return devicegroups.FactsChanged(tx, work, "facts", nil) })
	write(func(tx store.DoorWriter) error { return devicegroups.FactsChanged(tx, work, "facts", []string{}) })
	assert.Equal(t, []string{"skl-hq-001"}, members(t, db, "pier"))
}

func ids(devices []store.Device) (list []string) {
	for _, d := range devices {
		list = append(list, d.ID)
	}
	return list
}

func TestGroupsThatAreNamedExist(t *testing.T) {
	db, _ := ruled(t)
	tx := db.With(t.Context())
	assert.NoError(t, devicegroups.Exist(tx, "include", []string{"pier", "everything"}))
	err := devicegroups.Exist(tx, "include", []string{"pier", "tikets"})
	assert.Equal(t, "unknown_group", uowtest.Code(err))
	assert.ErrorContains(t, err, `did you mean "tickets"?`)
	assert.NoError(t, devicegroups.Asked(tx, ""))
	assert.Error(t, devicegroups.Asked(tx, "quay"))
	assert.NoError(t, devicegroups.Listed(tx, []string{"desks"}))
	assert.ErrorContains(t, devicegroups.Listed(tx, []string{"pier"}), "follow its rule")
}

// A device must not talk itself out of a policy, or into somebody's reach.
func TestRulesOverWhatADeviceSays(t *testing.T) {
	db, _ := ruled(t)
	tx := db.With(t.Context())
	assert.NoError(t, devicegroups.NotByDevice(tx, []string{"pier", "desks"}, devicegroups.Excluded))
	assert.Equal(t, "excluded_by_device_fact",
		uowtest.Code(devicegroups.NotByDevice(tx, []string{"pier", "tickets"}, devicegroups.Excluded)))
	assert.Equal(t, "reach_by_device_fact", uowtest.Code(
		devicegroups.NotByDevice(tx, []string{"tickets"}, devicegroups.Reached)))
	_, err := devicegroups.Rule("device.path ==")
	assert.Equal(t, "bad_rule", uowtest.Code(err))
	assert.ErrorContains(t, err, "line 1, column")
}

func TestWhatAGroupMayBe(t *testing.T) {
	for want, c := range map[string]struct {
		name string
		spec devicegroups.Spec
	}{
		"built-in group of all devices": {"everything", devicegroups.Spec{}},
		"cannot name a group":           {"North Pier", devicegroups.Spec{}},
		"a list of devices or a rule":   {"pier", devicegroups.Spec{Rule: "true", Devices: []string{"SKL-TKT-001"}}},
		"the rule cannot be used":       {"pier", devicegroups.Spec{Rule: "device."}},
	} {
		assert.ErrorContains(t, devicegroups.CheckSpec(c.name, c.spec), want)
	}
	assert.NoError(t, devicegroups.CheckSpec("pier", devicegroups.Spec{Rule: `device.path == "pier"`}))
	keys, err := devicegroups.DeviceKeys([]string{"SKL-TKT-001"}, 1)
	require.NoError(t, err)
	assert.Equal(t, []string{"skl-tkt-001"}, keys)
	_, err = devicegroups.DeviceKeys([]string{"a", "b"}, 1)
	assert.ErrorContains(t, err, "too many for one edit")
	_, err = devicegroups.DeviceKeys([]string{"bad\u202ename"}, 1)
	assert.Error(t, err)
}
