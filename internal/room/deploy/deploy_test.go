package deploy_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/core/warrant"
	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/base/uow/uowtest"
	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/room/deploy"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
	"rankwarden.example/internal/wire/protocol"
)

// records are a few devices, all in everything, with policies and requests in memory.
type records struct {
	deploy.Records // what no test here asks for
	uowtest.Trail
	devices     map[string]store.SettledDevice
	policies    map[string]string // sources by identifier
	assignments []store.Assignment
	settings    map[string]string
	waiting     []store.SettleRequest
	spoilt      string // device that the database refuses
	times       int    // that devices were stored
	freezes     []store.Freeze
	warrants    map[string][]protocol.Warrant
}

func (r *records) AppendAudit(e ...audit.Entry) error             { return r.Trail.AppendAudit(e...) }
func (r *records) Notify(n notices.Notice) error                  { return r.Trail.Notify(n) }
func (r *records) RequestSettle(q store.SettleRequest) error      { return r.Trail.RequestSettle(q) }
func (r *records) Assignments() ([]store.Assignment, error)       { return r.assignments, nil }
func (r *records) MembersOf([]string) ([]store.Membership, error) { return nil, nil }
func (r *records) PutScope(store.Scope) error                     { return nil }
func (r *records) PutSettings(digest, body string) error          { r.settings[digest] = body; return nil }
func (r *records) SettleRequests() ([]store.SettleRequest, error) {
	return slices.Clone(r.waiting), nil
}
func (r *records) RolloutsUnderWay() ([]store.Rollout, error)                { return nil, nil }
func (r *records) WaivedOf([]string) (map[string][]protocol.Waived, error)   { return nil, nil }
func (r *records) GivingBack([]string, time.Time) ([]store.GivesBack, error) { return nil, nil }
func (r *records) GroupsNamed([]string) ([]store.Group, error)               { return nil, nil }
func (r *records) WarrantsOf([]string, time.Time) (map[string][]protocol.Warrant, error) {
	return r.warrants, nil
}
func (r *records) DirectoryFor(_, _, _ []string) ([]store.DirectoryEntry, error) {
	return nil, nil
}

func (r *records) DirectoryTable([]principal.Ref) (*principal.Table, error) {
	return principal.NewTable(nil), nil
}

func (r *records) PolicyRevision(id string, number int) (store.PolicyRevision, error) {
	return store.PolicyRevision{PolicyID: id, Number: number, Source: r.policies[id]}, nil
}

func (r *records) LiveDevices(groups, ids []string) (list []store.DeviceName, err error) {
	for id, d := range r.devices {
		if len(groups) > 0 || slices.Contains(ids, id) {
			list = append(list, store.DeviceName{ID: id, NameKey: d.Name})
		}
	}
	slices.SortFunc(list, func(a, b store.DeviceName) int { return int(a.ID[1]) - int(b.ID[1]) })
	return list, nil
}

func (r *records) LockForSettling(ids []string) (list []store.SettledDevice, err error) {
	if slices.Contains(ids, r.spoilt) {
		return nil, errors.New("this row cannot be read")
	}
	for _, id := range ids {
		list = append(list, r.devices[id])
	}
	return list, nil
}

func (r *records) Asked(digest string) (asked protocol.DesiredContent, err error) {
	if digest != "" {
		err = json.Unmarshal([]byte(r.settings[digest]), &asked)
	}
	return asked, err
}

func (r *records) SetSettled(list []store.SettlingResult, _ time.Time) error {
	r.times++
	for _, s := range list {
		d := r.devices[s.Device]
		d.Scope, d.Held, d.HeldUnits, d.SettingsDigest, d.DesiredNumber, d.DesiredDigest = s.Scope, s.Held, s.HeldUnits,
			s.Settings, s.Stamp.Number, s.Stamp.Digest
		d.DesiredEpoch = s.Stamp.Epoch
		r.devices[s.Device] = d
	}
	return nil
}

func (r *records) LiveAmong(ids []string) ([]string, error) { return nil, nil }
func (r *records) ServiceState() (store.ServiceState, error) {
	return store.ServiceState{Epoch: 1}, nil
}
func (r *records) Freezes() ([]store.Freeze, error) { return r.freezes, nil }
func (r *records) SettleDone(ids []int64) error {
	r.waiting = slices.DeleteFunc(r.waiting, func(q store.SettleRequest) bool { return slices.Contains(ids, q.ID) })
	return nil
}

func (r *records) RequestSettleAgain(q store.SettleRequest) error {
	q.ID = 100
	r.waiting = append(r.waiting, q)
	return nil
}

// alone is a lock that nobody else wants.
type alone struct{}

func (alone) Exclusively(ctx context.Context, _ int, do func(context.Context) error) (bool, error) {
	return true, do(ctx)
}

// assigned puts a policy in force on everything.
func (r *records) assigned(name string, rank int, body string) {
	r.policies[name] = "format: rankwarden.policy/1\nname: " + name + "\n" + body
	r.assignments = append(r.assignments, store.Assignment{
		Name:     name,
		PolicyID: name,
		Policy:   name,
		Revision: 1,
		Include:  []string{"everything"},
		Rank:     rank,
		Stance:   "enforce",
	})
}

func (r *records) asked(t *testing.T, device string) map[string]any {
	asked, err := r.Asked(r.devices[device].SettingsDigest)
	require.NoError(t, err)
	by := map[string]any{}
	for _, s := range asked.Settings {
		by[s.Unit.String()] = s.Value
	}
	return by
}

func room(devices int) (*deploy.Service, *records) {
	r := &records{
		devices:  map[string]store.SettledDevice{},
		policies: map[string]string{},
		settings: map[string]string{},
	}
	for i := range devices {
		id := fmt.Sprintf("D%d", i)
		r.devices[id] = store.SettledDevice{ID: id, Name: "skl-hq-00" + id[1:], DesiredEpoch: 1}
	}
	return &deploy.Service{
		Room:      uowtest.Room[deploy.Reads, deploy.Records](r, r, &r.Trail),
		Locks:     alone{},
		Documents: cache.NewDocuments(),
	}, r
}

// settle asks for everything to be settled, and settles it.
func settle(t *testing.T, s *deploy.Service, r *records) {
	r.waiting = append(
		r.waiting,
		store.SettleRequest{ID: int64(len(r.waiting) + 1), Cause: "test", Groups: []string{"everything"}},
	)
	require.NoError(t, s.SettlePending(t.Context()))
}

func TestADeviceIsToldAnewOnlyWhenSomethingIsNew(t *testing.T) {
	s, r := room(3)
	r.assigned("lamps", 10, "passwords: {min_length: 9}")
	settle(t, s, r)
	for id, d := range r.devices {
		assert.EqualValues(t, 1, d.DesiredNumber, id)
		assert.Contains(t, r.asked(t, id), "passwords.min_length")
	}
	assert.Empty(t, r.waiting)
	require.Len(t, r.Entries, 1)
	assert.JSONEq(t, `{"causes": ["test"], "devices": 3, "new_desired_states": 3}`, string(r.Entries[0].After))
	stored := r.times

	settle(t, s, r)
	assert.EqualValues(t, 1, r.devices["D1"].DesiredNumber)
	assert.Equal(t, stored, r.times, "nothing is stored where nothing is new")
	assert.Len(t, r.Entries, 1)
}

// Nothing is settled during a freeze of everything, and everything afterwards.
func TestNothingIsSettledDuringAFreeze(t *testing.T) {
	s, r := room(2)
	r.assigned("lamps", 10, "passwords: {min_length: 9}")
	r.freezes = []store.Freeze{{What: store.FreezeAll}}
	settle(t, s, r)
	assert.Zero(t, r.devices["D0"].DesiredNumber)
	assert.Len(t, r.waiting, 1)
	r.freezes[0].What = store.FreezeRollouts
	require.NoError(t, s.SettlePending(t.Context()))
	assert.EqualValues(t, 1, r.devices["D0"].DesiredNumber)
}

// A device of an earlier epoch is told again, under a number of the present one.
func TestADeviceComesIntoTheEpochAsItIsSettled(t *testing.T) {
	s, r := room(1)
	r.assigned("lamps", 10, "passwords: {min_length: 9}")
	settle(t, s, r)
	d := r.devices["D0"]
	d.DesiredEpoch, d.DesiredNumber = 0, 7
	r.devices["D0"] = d
	settle(t, s, r)
	assert.Equal(t, []int64{1, 1}, []int64{r.devices["D0"].DesiredEpoch, r.devices["D0"].DesiredNumber})
}

func members(id int) string {
	return fmt.Sprintf(
		"membership: [{local_group: remote-desktop-users, mode: exact, members: ['sid:S-1-5-21-1-2-3-%d']}]",
		id,
	)
}

// Equal ranks that differ hold the value that a device has; it is not taken away, and not given to a new one.
func TestWhatIsContestedIsHeld(t *testing.T) {
	s, r := room(1)
	r.assigned("lamps", 10, members(9))
	settle(t, s, r)
	before := r.asked(t, "D0")
	r.devices["D7"] = store.SettledDevice{ID: "D7", Name: "skl-new-001", DesiredEpoch: 1}
	r.assigned("lanterns", 10, members(11))
	settle(t, s, r)
	assert.Equal(t, before, r.asked(t, "D0"))
	assert.Equal(t, 1, r.devices["D0"].HeldUnits)
	assert.EqualValues(t, 1, r.devices["D0"].DesiredNumber)
	assert.Empty(t, r.asked(t, "D7"))
}

// Devices that cannot be settled wait apart; the others are settled, and nothing is forgotten.
func TestWhatCannotBeSettledHoldsUpNothing(t *testing.T) {
	s, r := room(2)
	r.assigned("lamps", 10, "passwords: {min_length: 9}")
	r.policies["lamps"] = "format: rankwarden.policy/9"
	settle(t, s, r)
	require.Len(t, r.waiting, 1, "its devices wait in a request of their own")
	later := r.waiting[0]
	assert.Equal(t, []string{"D0", "D1"}, later.Devices)
	assert.Equal(t, 1, later.Attempts)
	assert.True(t, later.NextAt.After(uowtest.Now))
	assert.Contains(t, later.Error, "cannot be read")

	r.policies["lamps"], r.waiting, r.spoilt = "format: rankwarden.policy/1\nname: lamps\npasswords: {min_length: 9}",
		nil, "D1"
	settle(t, s, r)
	require.Len(t, r.waiting, 1)
	assert.Contains(t, r.waiting[0].Error, "this row cannot be read")
}

// A warrant stands in what its device is asked, with who has it, and in nobody else's.
func TestAWarrantIsAskedOfItsDevice(t *testing.T) {
	s, r := room(2)
	r.assigned("lamps", 10, "passwords: {min_length: 9}")
	settle(t, s, r)
	r.warrants = map[string][]protocol.Warrant{"D0": {{ID: "W1", Warrant: warrant.Warrant{
		Unit: unit.Administrators, Principal: principal.MustParse("local:clerk"), Until: time.Unix(7200, 0)}}}}
	settle(t, s, r)
	assert.EqualValues(t, 2, r.devices["D0"].DesiredNumber)
	assert.EqualValues(t, 1, r.devices["D1"].DesiredNumber, "nobody else is told anew")
	r.warrants = nil
	settle(t, s, r)
	assert.EqualValues(t, 3, r.devices["D0"].DesiredNumber, "its end is told, too")
}
