package passwords_test

import (
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow/uowtest"
	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/room/passwords"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
	"rankwarden.example/internal/wire/escrow"
	"rankwarden.example/internal/wire/keyring"
	"rankwarden.example/internal/wire/protocol"
)

// records are one device with one password, and the keys of the service, in memory.
type records struct {
	passwords.Records // what no test here asks for
	uowtest.Trail
	state     store.ServiceState
	keys      []store.EscrowKey
	device    store.Device
	reveals   int
	again     bool
	shown     store.Reveal
	approvals map[string]store.Approval
	here      store.Database
}

func (r *records) AppendAudit(e ...audit.Entry) error                       { return r.Trail.AppendAudit(e...) }
func (r *records) Notify(n notices.Notice) error                            { return r.Trail.Notify(n) }
func (r *records) RequestSettle(q store.SettleRequest) error                { return r.Trail.RequestSettle(q) }
func (r *records) LockServiceState(string) (store.ServiceState, error)      { return r.state, nil }
func (r *records) SetServiceState(s store.ServiceState) error               { r.state = s; return nil }
func (r *records) EscrowKeys() ([]store.EscrowKey, error)                   { return r.keys, nil }
func (r *records) LockOperator(string) (store.Operator, error)              { return store.Operator{}, nil }
func (r *records) Device(store.Clock, string, string) (store.Device, error) { return r.device, nil }
func (r *records) LockDevice(string) (store.Device, error)                  { return r.device, nil }
func (r *records) Asked(string) (protocol.DesiredContent, error) {
	return protocol.DesiredContent{}, nil
}
func (r *records) RevealsOf(string, time.Time, store.Reveal) (int, bool, error) {
	return r.reveals, r.again, nil
}
func (r *records) AddReveal(v store.Reveal) error               { r.reveals++; r.shown = v; return nil }
func (r *records) AddDatabaseReturn(store.DatabaseReturn) error { return nil }
func (r *records) ThisDatabase() (store.Database, error)        { return r.here, nil }

func (r *records) OutOfReach(reach rights.Reach, _ []string) (string, error) {
	if reach.Everywhere() {
		return "", nil
	}
	return r.device.Name, nil
}

func (r *records) RotationsOf(store.Clock, string) ([]store.Rotation, error) {
	return []store.Rotation{{DeviceID: "D1", Target: "account:keeper", Name: "Keeper"}}, nil
}

func (r *records) DepositsOf(string, string) ([]store.Deposit, error) {
	return []store.Deposit{
		{
			DeviceID:  "D1",
			Epoch:     1,
			Number:    2,
			Target:    "account:keeper",
			Account:   "S-1-5-21-1-2-3-1000",
			KeyNumber: 1,
			Sealed:    []byte("new"),
			State:     store.DepositPending,
		},
		{
			DeviceID:  "D1",
			Epoch:     1,
			Number:    1,
			Target:    "account:keeper",
			Account:   "S-1-5-21-1-2-3-1000",
			KeyNumber: 1,
			Sealed:    []byte("old"),
			State:     store.DepositCurrent,
		},
		{
			DeviceID:  "D1",
			Epoch:     1,
			Number:    0,
			Target:    "account:keeper",
			Account:   "S-1-5-21-1-2-3-1000",
			KeyNumber: 1,
			Sealed:    []byte("former"),
			State:     store.DepositFormer,
		},
	}, nil
}

func (r *records) OpenApproval(operator, _, _ string, _ time.Time) (store.Approval, error) {
	for _, a := range r.approvals {
		if a.AskedBy == operator && a.UsedAt == nil {
			return a, nil
		}
	}
	return store.Approval{}, store.ErrNotFound
}

func (r *records) AddApproval(a store.Approval) error {
	a.Device = r.device.Name
	r.approvals[a.ID] = a
	return nil
}
func (r *records) SetApproval(a store.Approval) error { r.approvals[a.ID] = a; return nil }
func (r *records) LockApproval(id string) (store.Approval, error) {
	a, known := r.approvals[id]
	if !known {
		return a, store.ErrNotFound
	}
	return a, nil
}

// open is an opener of what is not sealed at all.
type open map[int64]bool

func (o open) Holds(key int64) bool { return o[key] }
func (o open) Open(_ escrow.About, sealed []byte) (string, error) {
	return string(sealed), nil
}

func room(t *testing.T, held open) (*passwords.Service, *records) {
	root, err := protocol.NewKey()
	require.NoError(t, err)
	signing, err := protocol.NewKey()
	require.NoError(t, err)
	r := &records{
		device:    store.Device{ID: "D1", Name: "SKL-HQ-001", State: store.Live},
		approvals: map[string]store.Approval{},
	}
	s, err := passwords.New(t.Context(), passwords.Options{
		Room:         uowtest.Room[passwords.Reads, passwords.Records](r, r, &r.Trail),
		Keys:         keyring.Ring{Root: root, Signing: signing},
		Organisation: "Skerry Line",
		OpenEscrow:   func() (escrow.Opener, error) { return held, nil },
		RevealBudget: 1,
	})
	require.NoError(t, err)
	r.Entries = nil
	return s, r
}

func support(name string, groups ...string) rights.Identity {
	return rights.Identity{
		OperatorID: name,
		Name:       name,
		Grants:     []rights.Grant{{Role: rights.Support, Groups: groups}},
		FreshAt:    uowtest.Now,
	}
}

func code(err error) string {
	var refused *refusal.Error
	if errors.As(err, &refused) {
		return refused.Code
	}
	return ""
}

var want = passwords.RevealRequest{Device: "SKL-HQ-001", Reason: "ticket 4711, new disk"}

func TestRevealing(t *testing.T) {
	s, r := room(t, open{1: true})
	answer, err := s.Reveal(t.Context(), support("runa"), want)
	require.NoError(t, err)
	require.Len(t, answer.Candidates, 2, "either may be right while a change is under way")
	assert.Equal(t, []string{"new", "old"}, []string{answer.Candidates[0].Password, answer.Candidates[1].Password})
	require.Len(t, r.Entries, 1)
	assert.Equal(t, "ticket 4711, new disk", r.Entries[0].Reason)
	assert.NotContains(t, string(r.Entries[0].After), "old")

	old := support("egil")
	old.FreshAt = uowtest.Now.Add(-rights.FreshFor - time.Second)
	_, err = s.Reveal(t.Context(), old, want)
	assert.Equal(t, "sign_in_again", code(err))
	_, err = s.Reveal(t.Context(), support("egil"), passwords.RevealRequest{Device: "SKL-HQ-001", Reason: " x "})
	assert.Equal(t, "reason_needed", code(err))
	_, err = s.Reveal(
		t.Context(),
		rights.Identity{OperatorID: "1", Name: "asta", Grants: []rights.Grant{{Role: rights.Owner}},
			FreshAt: uowtest.Now},
		want,
	)
	assert.ErrorContains(t, err, "with the role owner you may not do this")
	_, err = s.Reveal(t.Context(), support("egil", "north-pier"), want)
	assert.ErrorContains(t, err, `there is no device "SKL-HQ-001"`)
	assert.Equal(
		t,
		audit.Refused,
		r.Entries[len(r.Entries)-1].Outcome,
		"an attempt on what one cannot see is on the trail as well",
	)
	assert.Equal(t, 1, r.reveals)
}

// Nothing is spent where the key is not held.
func TestRevealingWithoutTheKey(t *testing.T) {
	s, r := room(t, open{})
	_, err := s.Reveal(t.Context(), support("runa"), want)
	assert.Equal(t, "key_missing", code(err))
	assert.Zero(t, r.reveals)
	assert.Empty(t, r.Entries)
}

func TestBeyondTheBudgetASecondPersonDecides(t *testing.T) {
	s, r := room(t, open{1: true})
	r.reveals = 1
	_, err := s.Reveal(t.Context(), support("runa"), want)
	assert.Equal(t, "second_person_needed", code(err))
	require.Len(t, r.approvals, 1)
	id := ""
	for id = range r.approvals {
	}
	_, err = s.Reveal(t.Context(), support("runa"), want)
	assert.Equal(t, "second_person_needed", code(err))
	assert.Len(t, r.approvals, 1, "asking again asks for nothing new")

	assert.Equal(
		t,
		"second_person_needed",
		code(s.Decide(t.Context(), support("runa"), id, true)),
		"nobody decides what they asked for",
	)
	require.NoError(t, s.Decide(t.Context(), support("egil"), id, true))
	assert.ErrorContains(t, s.Decide(t.Context(), support("egil"), id, false), "was decided")
	last := r.Entries[len(r.Entries)-1]
	assert.Equal(
		t,
		[]string{"reveal.approved", "SKL-HQ-001", "ticket 4711, new disk"},
		[]string{last.Action, last.Object, last.Reason},
	)

	_, err = s.Reveal(t.Context(), support("runa"), want)
	require.NoError(t, err)
	_, err = s.Reveal(t.Context(), support("runa"), want)
	assert.Equal(t, "second_person_needed", code(err), "an approval is used once")
	assert.False(t, r.shown.Again)
	r.again = true
	_, err = s.Reveal(t.Context(), support("runa"), want)
	require.NoError(t, err, "what was seen within the hour may be seen again")
	assert.True(t, r.shown.Again)
}

// The list is new only when the keys are; what a transaction that failed made is not known.
func TestKeyList(t *testing.T) {
	s, r := room(t, open{1: true})
	assert.EqualValues(t, 1, s.KeyListNumber())
	r.keys = []store.EscrowKey{{Number: 1, Use: protocol.UseEscrow, State: store.KeyLive, Public: []byte("p")}}
	epoch, err := s.BeginEpoch(t.Context())
	require.NoError(t, err)
	assert.EqualValues(t, r.state.Epoch, epoch)
	assert.Greater(t, s.KeyListNumber(), epoch<<32, "no number that a device may hold is used again")
	list, err := protocol.OpenKeyList(s.KnownKeyList(), s.Root())
	require.NoError(t, err)
	newest, there := list.Newest(protocol.UseEscrow)
	assert.True(t, there)
	assert.EqualValues(t, 1, newest.Number)
	assert.Equal(t, []string{"everything"}, r.Requests[len(r.Requests)-1].Groups)

	// A replica that finds another database begins an epoch once, however many replicas find it, and notes where it is.
	r.here = store.Database{System: "7", Timeline: 2}
	require.NoError(t, s.DatabaseReturned(t.Context(), "", epoch, 0))
	assert.Equal(t, epoch, r.state.Epoch, "no epoch where nothing is known of before")
	assert.Equal(t, []any{"7", int64(2)}, []any{r.state.SystemIdentifier, r.state.Timeline})
	require.NoError(t, s.DatabaseReturned(t.Context(), "it is on timeline 3", epoch, epoch))
	require.NoError(t, s.DatabaseReturned(t.Context(), "it is on timeline 3", epoch, epoch))
	assert.Equal(t, epoch+1, r.state.Epoch)
	epoch++

	r.state.RootFingerprint = "another"
	_, err = s.BeginEpoch(t.Context())
	require.ErrorIs(t, err, passwords.ErrForeignKeys)
	assert.EqualValues(t, epoch, s.Epoch())
}

// Who may not is refused before anything is read, opened or given away, and that is on the trail.
func TestSecretsAreAskedForFirst(t *testing.T) {
	s, r := room(t, open{1: true}) // reading deposits or keys panics
	for action, do := range map[string]func() (int, error){
		"deposits.exported": func() (int, error) {
			return s.ExportDeposits(t.Context(), support("runa"), func(passwords.ExportedDeposit) error {
				t.Error("a deposit was given away")
				return nil
			})
		},
		"keys.resealed": func() (int, error) {
			return s.Reseal(t.Context(), support("runa"), 1, func(int, int) error { return nil })
		},
	} {
		r.Entries = nil
		_, err := do()
		assert.ErrorContains(t, err, "with the role support you may not do this", action)
		require.Len(t, r.Entries, 1)
		assert.Equal(t, []string{action, string(audit.Refused)},
			[]string{r.Entries[0].Action, string(r.Entries[0].Outcome)})
	}
}
