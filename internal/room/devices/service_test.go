package devices_test

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/inventory"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/unit"
	"rankwarden.example/core/warrant"
	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/base/uow/uowtest"
	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/room/devices"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
	"rankwarden.example/internal/wire/protocol"
)

// records are one device with what it reported, in memory.
type records struct {
	devices.Records // what no test here asks for
	uowtest.Trail
	device   store.Device
	reports  map[int64]store.Report
	asked    []unit.Setting
	open     map[int64]store.Finding
	reported *store.TakenReport
	mu       sync.Mutex
	held     chan bool               // until it is closed no report is taken
	others   map[string]store.Device // by identifier
	named    map[string]bool         // devices of other names
	kept     string                  // folded name that another device had and keeps
	deciding string                  // group that decides reach and expects the new name
	busy     int                     // something else holds the device for as long as nobody waits for it
	waited   int                     // how often somebody did
	events   []store.DeviceEvent
	had      inventory.Inventory // of the device
	lookedUp int                 // how often it was read
}

func (r *records) AddEvents(list []store.DeviceEvent) error {
	r.events = append(r.events, list...)
	return nil
}
func (r *records) ScopeOf(string) (string, error) { return "", store.ErrNotFound }

func (r *records) AppendAudit(e ...audit.Entry) error             { return r.Trail.AppendAudit(e...) }
func (r *records) Notify(n notices.Notice) error                  { return r.Trail.Notify(n) }
func (r *records) RequestSettle(q store.SettleRequest) error      { return r.Trail.RequestSettle(q) }
func (r *records) LockDevice(string) (store.Device, error)        { return r.device, nil }
func (r *records) RuledGroups() ([]store.RuleGroup, error)        { return nil, nil }
func (r *records) DecidingGroup(string, []string) (string, error) { return r.deciding, nil }
func (r *records) JoinExpected(string, string) error              { return nil }
func (r *records) RenameDevice(_ store.Device, name, key string, _ time.Time) error {
	r.device.Name, r.device.NameKey = name, key
	return nil
}

func (r *records) RefuseName(_, name string) error {
	r.device.NameRefused = name
	return nil
}

func (r *records) NameKeptBy(key string) (store.Device, error) {
	if r.kept == key {
		return store.Device{ID: "D2"}, nil
	}
	return store.Device{}, store.ErrNotFound
}

// TakeReports is the transaction of reports, with batch as what it holds.
func (r *records) TakeReports(
	_ context.Context, _ []string, waits bool, judge func(b devices.ReportBatch) error,
) error {
	if waits && r.busy > 0 {
		r.busy, r.waited = 0, r.waited+1
	}
	if r.held != nil {
		<-r.held
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	return judge(batch{r})
}

type batch struct{ *records }

func (b batch) Device(id string) (store.Device, bool) {
	d := b.device
	if other, there := b.others[id]; there {
		d = other
	}
	return d, id == d.ID && b.busy == 0
}

func (b batch) IsBusy(id string) (bool, error)    { return b.busy > 0 && id == b.device.ID, nil }
func (b batch) Rotations(string) []store.Rotation { return nil }
func (b batch) Waived(string) []protocol.Waived   { return nil }
func (b batch) Ended(string) []warrant.Warrant    { return nil }
func (b batch) Scope(string) (store.Scope, error) { return store.Scope{}, store.ErrNotFound }
func (b batch) DirectoryTable([]principal.Ref) (*principal.Table, error) {
	return principal.NewTable(nil), nil
}

func (b batch) Asked(digest string) (protocol.DesiredContent, error) {
	if digest == "spoilt" {
		return protocol.DesiredContent{}, errors.New("cannot be read")
	}
	return protocol.DesiredContent{Settings: b.asked}, nil
}

func (b batch) DigestOf(_ string, epoch, seq int64) (string, error) {
	if epoch != b.device.Epoch {
		return "", nil
	}
	return b.reports[seq].Digest, nil
}

func (b batch) OpenFindings(string) (list []store.Finding) {
	for _, f := range b.open {
		list = append(list, f)
	}
	return list
}

func (b batch) Inventories(devices []string) (map[string]inventory.Inventory, error) {
	b.lookedUp += len(devices)
	found := map[string]inventory.Inventory{}
	for _, id := range devices {
		found[id] = b.had
	}
	return found, nil
}

func (b batch) Store(t store.TakenReport) {
	if t.DeviceID != b.device.ID {
		return
	}
	b.reported, b.device.Seq, b.reports[t.Seq] = &t, t.Seq, t.Report
	if t.Inventory != nil {
		b.device.Inventory = t.Inventory.Digest
	}
	for _, f := range t.Fresh {
		if f.ID = int64(len(b.open) + 1); f.State == store.FindingOpen {
			b.open[f.ID] = f
		}
	}
	for _, id := range t.Gone {
		delete(b.open, id)
	}
}

func (r *records) LiveDeviceNamed(key string) (store.Device, error) {
	if r.named[key] {
		return store.Device{}, nil
	}
	return store.Device{}, store.ErrNotFound
}

func room() (*devices.Service, *records) {
	r := &records{reports: map[int64]store.Report{}, open: map[int64]store.Finding{}, named: map[string]bool{},
		device: store.Device{ID: "D1", Name: "SKL-HQ-001", NameKey: "skl-hq-001", State: store.Live, Epoch: 1,
			DesiredDigest: "sha-256:aa", StandingColumns: store.StandingColumns{DesiredEpoch: 1, DesiredNumber: 3}}}
	return &devices.Service{Room: uowtest.Room[devices.Reads, devices.Records](r, r, &r.Trail),
		Reports: uow.NewBatches(r.TakeReports), Scopes: &cache.Scopes{}}, r
}

func report(seq int64) drift.Report {
	return drift.Report{Format: drift.ReportFormat, Device: "SKL-HQ-001", Seq: seq, At: uowtest.Now,
		Desired: drift.Stamp{Epoch: 1, Number: 3, Digest: "sha-256:aa"}}
}

func code(err error) string {
	var refused *refusal.Error
	if errors.As(err, &refused) {
		return refused.Code
	}
	return fmt.Sprint(err)
}

// A report counts once, whatever is sent again; a number that was used for something else is not taken.
func TestReportsCountOnce(t *testing.T) {
	s, r := room()
	ctx := t.Context()
	require.NoError(t, s.TakeReport(ctx, "D1", 1, report(5), "digest"))
	assert.NotNil(t, r.reported.VerifiedAt)
	r.reported = nil
	require.NoError(t, s.TakeReport(ctx, "D1", 1, report(5), "digest"))
	assert.Nil(t, r.reported, "a repeat is taken as done")
	assert.Equal(t, "sequence_used", code(s.TakeReport(ctx, "D1", 1, report(5), "another")))
	assert.Equal(t, "sequence_behind", code(s.TakeReport(ctx, "D1", 1, report(4), "digest")))
	assert.Equal(t, "sequence_behind", code(s.TakeReport(ctx, "D1", 2, report(9), "digest")))
	r.device.State = store.Retired
	assert.Equal(t, "device_retired", code(s.TakeReport(ctx, "D1", 1, report(6), "digest")))
	bad := report(7)
	bad.Format = "rankwarden.report/9"
	assert.Equal(t, "bad_report", code(s.TakeReport(ctx, "D1", 1, bad, "digest")))
	assert.Empty(t, r.Entries, "what devices send is not on the trail")
}

// Of reports that come together, one that spoils the transaction is alone in not being taken.
func TestOneSpoiltReportHoldsUpNoOther(t *testing.T) {
	s, r := room()
	r.others = map[string]store.Device{}
	r.held = make(chan bool)
	errs := make([]error, 20)
	var all sync.WaitGroup
	for i := range errs {
		d := r.device
		d.ID, d.Name = fmt.Sprint("D", 100+i), fmt.Sprint("SKL-HQ-", 100+i)
		if i == 7 {
			d.SettingsDigest = "spoilt"
		}
		r.others[d.ID] = d
	}
	for i := range errs {
		all.Go(func() {
			next := report(1)
			next.Device = fmt.Sprint("SKL-HQ-", 100+i)
			errs[i] = s.TakeReport(t.Context(), fmt.Sprint("D", 100+i), 1, next, "digest")
		})
	}
	close(r.held)
	all.Wait()
	for i, err := range errs {
		assert.Equal(t, i == 7, err != nil, "%d: %v", i, err)
	}
}

// Only a report under the newest desired state says what is drifted now.
func TestReportsUnderAnotherDesiredState(t *testing.T) {
	s, r := room()
	r.open[1] = store.Finding{ID: 1, Key: "k"}
	r.device.OpenFindings = 1
	old := report(5)
	old.Desired = drift.Stamp{Epoch: 1, Number: 2, Digest: "sha-256:bb"}
	require.NoError(t, s.TakeReport(t.Context(), "D1", 1, old, "digest"))
	assert.Nil(t, r.reported.VerifiedAt)
	assert.Equal(t, 1, r.reported.OpenFindings, "what was open stays so")
	assert.False(t, r.reported.Mismatched)
	for seq, foreign := range map[int64]drift.Stamp{6: {Epoch: 1, Number: 4},
		7: {Epoch: 1, Number: 3, Digest: "sha-256:cc"}, 8: {Epoch: 2, Number: 1}} {
		next := report(seq + r.device.Seq)
		next.Desired = foreign
		require.NoError(t, s.TakeReport(t.Context(), "D1", 1, next, "digest"))
		assert.True(t, r.reported.Mismatched, "%v was never given", foreign)
	}
	require.NoError(t, s.TakeReport(t.Context(), "D1", 1, report(r.device.Seq+1), "digest"))
	assert.Empty(t, r.open, "what is no more is closed")
}

// A workstation cannot take a name that gives it something.
func TestRenaming(t *testing.T) {
	s, r := room()
	take := func(name string) error {
		next := report(r.device.Seq + 1)
		next.Device = name
		return s.TakeReport(t.Context(), "D1", 1, next, "digest")
	}
	r.named["skl-hq-002"] = true
	require.NoError(t, take("SKL-HQ-002"))
	assert.Equal(t, "SKL-HQ-001", r.device.Name, "another device has it")
	require.Len(t, r.open, 1, "a finding says so")
	for _, f := range r.open {
		assert.Equal(t, string(drift.NameInUse), f.Kind)
	}
	assert.Zero(t, r.reported.OpenFindings, "which makes no device drifted")
	require.NoError(t, take("SKL-HQ-002"))
	require.Len(t, r.Entries, 1, "that it could not is on the trail once")
	require.NoError(t, take("SKL-HQ-001"))
	assert.Empty(t, r.open)
	r.kept = "skl-hq-004"
	require.NoError(t, take("SKL-HQ-004"))
	assert.Equal(t, "SKL-HQ-001", r.device.Name, "another device had it, and keeps it")
	require.NoError(t, take("SKL-HQ-001"))
	r.deciding = "owners-desks"
	require.NoError(t, take("SKL-HQ-003"))
	assert.Equal(t, "SKL-HQ-001", r.device.Name, "a group that decides reach lists it")
	r.deciding = ""
	require.NoError(t, take("SKL-HQ-003"))
	assert.Equal(t, "SKL-HQ-003", r.device.Name)
	require.Len(t, r.Entries, 4)
	for i, outcome := range []audit.Outcome{audit.Refused, audit.Refused, audit.Refused, audit.Done} {
		e := r.Entries[i]
		assert.Equal(t, []any{"device:D1", "device.renamed", outcome}, []any{e.Actor, e.Action, e.Outcome})
	}
	require.Len(t, r.Requests, 1)
	assert.Equal(t, "bad_report", code(take("no/name")))
}

func TestOrdersThatNobodyKnows(t *testing.T) {
	s, r := room()
	support := rights.Identity{OperatorID: "1", Name: "runa", Grants: []rights.Grant{{Role: rights.Support}}}
	for want, says := range map[struct{ Kind, Subject string }]string{
		{Kind: "dance"}: `there is no order "dance"`,
		{Kind: protocol.OrderUnlock, Subject: "user:egil@skerryline.example"}: "names no account of a device",
		{Kind: protocol.OrderUnlock}:                                          "names no account of a device",
		{Kind: protocol.OrderCollect}:                                         "no device is named",
	} {
		_, err := s.Order(t.Context(), support, devices.NewOrder{Kind: want.Kind, Subject: want.Subject})
		assert.ErrorContains(t, err, says)
	}
	viewer := rights.Identity{OperatorID: "2", Name: "egil", Grants: []rights.Grant{{Role: rights.Viewer}}}
	_, err := s.Order(
		t.Context(),
		viewer,
		devices.NewOrder{Kind: protocol.OrderCollect, Devices: []string{"SKL-HQ-001"}},
	)
	assert.ErrorContains(t, err, "with the role viewer you may not do this")
	assert.Len(t, r.Entries, 1)
}

// What a device says of time is bounded by when it came here.
func TestTimesAreBoundedByReceipt(t *testing.T) {
	s, r := room()
	ahead, before := uowtest.Now.Add(26*time.Hour), uowtest.Now.Add(-time.Hour)
	_, err := s.TakeEvents(t.Context(), "D1", 1, []drift.Event{
		{Seq: 1, At: before, Kind: drift.AccountUsed}, {Seq: 2, At: ahead, Kind: drift.AccountUsed},
	})
	require.NoError(t, err)
	require.Len(t, r.events, 2)
	assert.Equal(t, before, r.events[0].At)
	assert.Equal(t, uowtest.Now, r.events[1].At)
	late := report(1)
	late.At = ahead
	require.NoError(t, s.TakeReport(t.Context(), "D1", 1, late, "sha-256:r"))
	assert.Equal(t, uowtest.Now, r.reports[1].At)
}

// A device that something else holds is waited for apart from the others, and its report is taken.
func TestABusyDeviceIsWaitedForApart(t *testing.T) {
	s, r := room()
	r.busy = 1
	require.NoError(t, s.TakeReport(t.Context(), "D1", 1, report(1), "sha-256:r"))
	assert.Equal(t, 1, r.waited)
	assert.Contains(t, r.reports, int64(1))
}
