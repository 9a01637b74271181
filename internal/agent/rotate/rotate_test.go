package rotate_test

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rotation"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/agent/host/simulated"
	"rankwarden.example/internal/agent/journal"
	"rankwarden.example/internal/agent/rotate"
	"rankwarden.example/internal/agent/secret"
	"rankwarden.example/internal/kit/atomicfile"
	"rankwarden.example/internal/wire/escrow"
	"rankwarden.example/internal/wire/protocol"
)

var keeper = principal.FromKey("keeper")

// bench is a workstation with one account whose password a rule changes, and a service in memory that keeps deposits.
type bench struct {
	t         *testing.T
	w         *simulated.Workstation
	dir       string
	at        time.Time
	ring      escrow.Ring
	public    []byte
	deposits  map[string]protocol.Deposit // by EPOCH.NUMBER
	confirmed map[string]bool
	refuse    error // of the next deposit
}

func newBench(t *testing.T) *bench {
	private, err := escrow.NewPrivate()
	require.NoError(t, err)
	b := &bench{t: t, dir: t.TempDir(), at: time.Date(2031, 3, 4, 6, 0, 0, 0, time.UTC), public: private.Public(),
		ring:     escrow.Ring{Keys: []escrow.RingKey{{Number: 1, Use: protocol.UseEscrow, Private: private}}},
		deposits: map[string]protocol.Deposit{}, confirmed: map[string]bool{}}
	b.w = simulated.Boot(
		simulated.Factory(
			protocol.Facts{Name: "SKL-WKS-001", Platform: "windows"},
			principal.MustSID("S-1-5-21-7-8-9"),
			b.at,
		),
		func() time.Time { return b.at },
	)
	b.w.AddAccount("keeper")
	return b
}

// wake is the agent's part that changes passwords, as it starts with what was kept.
func (b *bench) wake() *rotate.Rotator {
	j, err := journal.Open(b.dir, atomicfile.Write, nil)
	require.NoError(b.t, err)
	j.Device, j.Bindings = "D1", map[string]principal.SID{"keeper": b.w.Find("keeper")}
	j.KeyList = protocol.KeyList{
		Organisation: "Skerry Line",
		Keys:         []protocol.PublicKey{{Use: protocol.UseEscrow, Number: 1, Key: b.public}},
	}
	rule := unit.RotationValue{
		Target:       keeper,
		EveryMinutes: 24 * 60,
		Keep:         5,
		AfterUse:     unit.AfterUse{WaitMinutes: 30, Then: unit.EndSessions},
		Secret:       unit.Secret{Style: unit.Characters, Length: 20, Use: unit.AllClasses},
	}
	j.Asked.Settings = []unit.Setting{{Unit: unit.RotationOf(keeper), Value: rule}}
	return &rotate.Rotator{Host: b.w, Journal: j, Service: b, Random: secret.System, Log: slog.New(slog.DiscardHandler),
		Now: func() time.Time { return b.at }, ServiceTime: func(at time.Time) time.Time { return at }}
}

func number(epoch, n int64) string { return fmt.Sprintf("%d.%d", epoch, n) }

// Deposit implements [rotate.Service].
func (b *bench) Deposit(_ context.Context, d protocol.Deposit) (time.Time, error) {
	if b.refuse != nil {
		err := b.refuse
		b.refuse = nil
		return time.Time{}, err
	}
	if had, again := b.deposits[number(d.Epoch, d.Number)]; again {
		assert.Equal(b.t, had.Digest(), d.Digest(), "a number is used once")
	}
	assert.False(b.t, b.opens(d), "it is in escrow before it is set")
	b.deposits[number(d.Epoch, d.Number)] = d
	return b.at, nil
}

// Confirm implements [rotate.Service].
func (b *bench) Confirm(_ context.Context, c protocol.Confirm) error {
	b.confirmed[number(c.Epoch, c.Number)] = true
	return nil
}

// BeginEpoch implements [rotate.Service].
func (b *bench) BeginEpoch(_ context.Context, held int64, _ string) (int64, error) {
	return held + 1, nil
}

// FetchKeys implements [rotate.Service].
func (b *bench) FetchKeys(context.Context) error { return nil }

// opens reports whether a deposit opens the account now.
func (b *bench) opens(d protocol.Deposit) bool {
	password, err := b.ring.Open(escrow.Of("Skerry Line", "D1", d, 1), d.Sealed[0].Bytes)
	require.NoError(b.t, err)
	return b.w.Opens(d.Account, password)
}

// inEscrow reports whether any deposit opens the account, and whether a confirmed one does.
func (b *bench) inEscrow() (any, confirmed bool) {
	for n, d := range b.deposits {
		if b.opens(d) {
			any = true
			confirmed = confirmed || b.confirmed[n]
		}
	}
	return any, confirmed
}

func (b *bench) state() drift.State {
	state, err := b.w.Read(b.t.Context())
	require.NoError(b.t, err)
	return state
}

func TestAPasswordIsInEscrowBeforeItIsSet(t *testing.T) {
	b := newBench(t)
	x := b.wake()
	changed, failures, err := x.Due(t.Context(), b.state())
	require.NoError(t, err)
	assert.True(t, changed)
	assert.Empty(t, failures)
	_, confirmed := b.inEscrow()
	assert.True(t, confirmed)
	assert.Len(t, x.Journal.Escrowed(b.state()), 1)

	changed, _, err = x.Due(t.Context(), b.state())
	require.NoError(t, err)
	assert.False(t, changed, "it is not due yet")
	assert.True(t, x.Wake.After(b.at))
	b.at = x.Wake
	changed, _, err = x.Due(t.Context(), b.state())
	require.NoError(t, err)
	assert.True(t, changed)
	assert.Len(t, b.deposits, 2)
}

// Wherever the power goes, the password that the account has is in escrow once it was changed at all, and after the
// next start a confirmed one is.
func TestThePowerGoesAnywhere(t *testing.T) {
	for changes := range 8 {
		b := newBench(t)
		_, _, err := b.wake().Due(t.Context(), b.state())
		require.NoError(t, err)
		b.at = b.at.Add(48 * time.Hour)
		b.w.CutAfter(changes)
		_, _, err = b.wake().Due(t.Context(), b.state())
		if err != nil {
			require.ErrorIs(t, err, host.ErrShuttingDown, "after %d changes", changes)
		}
		any, _ := b.inEscrow()
		assert.True(t, any, "after %d changes", changes)

		b.w.CutAfter(-1)
		x := b.wake()
		for range 2 {
			x.Notice(b.state())
			_, _, err = x.Due(t.Context(), b.state())
			require.NoError(t, err)
		}
		_, confirmed := b.inEscrow()
		assert.True(t, confirmed, "after %d changes and a start", changes)
	}
}

// A password that somebody else set is changed at once, though the clock of the system did not move.
func TestAPasswordOfSomebodyElse(t *testing.T) {
	b := newBench(t)
	x := b.wake()
	_, _, err := x.Due(t.Context(), b.state())
	require.NoError(t, err)
	require.NoError(t, b.w.SetPassword(t.Context(), b.w.Find("keeper"), "left on a note"))
	assert.Empty(t, x.Journal.Escrowed(b.state()), "what is in escrow does not open it")
	x.Notice(b.state())
	assert.Equal(t, drift.PasswordForeign, x.Journal.Events[len(x.Journal.Events)-1].Kind)
	assert.True(t, x.Report(b.state())[0].Elsewhere)
	changed, _, err := x.Due(t.Context(), b.state())
	require.NoError(t, err)
	assert.True(t, changed)
	assert.Equal(t, rotation.Elsewhere, b.deposits["1.2"].Reason)
}

func TestWhatTheServiceRefuses(t *testing.T) {
	b := newBench(t)
	b.refuse = &protocol.Refusal{Status: 422, Code: protocol.CodeBadDeposit, Detail: "it cannot be opened"}
	x := b.wake()
	changed, failures, err := x.Due(t.Context(), b.state())
	require.NoError(t, err)
	assert.False(t, changed)
	require.Len(t, failures, 1)
	assert.Contains(t, failures[0].Error, "it cannot be opened")
	assert.Equal(t, b.at.Add(time.Minute), x.Wake, "it is tried again")

	b.at = x.Wake
	b.refuse = &protocol.Unreachable{Why: errors.New("no way")}
	changed, failures, err = x.Due(t.Context(), b.state())
	require.NoError(t, err)
	assert.False(t, changed)
	assert.Empty(t, failures, "the exchange that follows says so")

	b.refuse = &protocol.Refusal{Status: 409, Code: protocol.CodeSequenceBehind}
	changed, _, err = x.Due(t.Context(), b.state())
	require.NoError(t, err)
	assert.True(t, changed, "everything is due again")
	assert.EqualValues(t, 2, x.Journal.Epoch)
	_, _, err = x.Due(t.Context(), b.state())
	require.NoError(t, err)
	assert.Equal(t, rotation.Restored, b.deposits["2.1"].Reason)
}

// After somebody signed in, the password changes within the time of the rule, and then the sessions end.
func TestAfterUse(t *testing.T) {
	b := newBench(t)
	x := b.wake()
	_, _, err := x.Due(t.Context(), b.state())
	require.NoError(t, err)
	password, err := b.ring.Open(
		escrow.Of("Skerry Line", "D1", b.deposits["1.1"], 1),
		b.deposits["1.1"].Sealed[0].Bytes,
	)
	require.NoError(t, err)
	require.NoError(t, b.w.SignIn("keeper", password))
	require.NoError(t, x.WatchUse(t.Context()))
	assert.Contains(t, b.w.Machine().Notices[0], "changes at")
	_, _, err = x.Due(t.Context(), b.state())
	require.NoError(t, err)
	assert.True(t, b.w.SignedIn(b.w.Find("keeper")))
	b.at = b.at.Add(30 * time.Minute)
	changed, _, err := x.Due(t.Context(), b.state())
	require.NoError(t, err)
	assert.True(t, changed)
	assert.False(t, b.w.SignedIn(b.w.Find("keeper")))
	assert.Equal(t, rotation.Used, b.deposits["1.2"].Reason)
}
