package e2e

import (
	"context"
	"log/slog"
	"net/http"
	"os"
	"runtime"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent"
	"rankwarden.example/internal/agent/host/simulated"
	"rankwarden.example/internal/kit/atomicfile"
	"rankwarden.example/internal/store"
)

// desk has a managed administrator whose password is six words and whose name is drawn again.
const desk = `accounts: [{key: mooring, name: mooring-####, formerly: [mooring]}]
rotation: [{target: account:mooring, every: 10d, secret: {style: words, words: 6}, after_use: {wait: 1h, then: %THEN%}, after_reveal: 2h, redraw_name: true, keep: 1}]
membership: [{local_group: administrators, mode: exact, members: [account:mooring]}]`

// deposits are those of the mooring of a device, newest first.
func (s *service) deposits(device string) []api.Deposit {
	list, err := s.owner.DevicePasswords(s.t.Context(), device)
	require.NoError(s.t, err)
	require.Len(s.t, list, 1)
	return list[0].Deposits
}

// current opens what is in escrow as the password now, past the service's rights.
func (s *service) current(device string) string { return s.currentOf(device, "mooring") }

func (s *service) currentOf(device, account string) string {
	w := s.why(device)
	all, err := s.db.With(s.t.Context()).DepositsOf(w.Device.ID, "account:"+account)
	require.NoError(s.t, err)
	opener, err := s.ring()
	require.NoError(s.t, err)
	for _, d := range all {
		if d.State == store.DepositCurrent {
			password, err := opener.Open(d.About(d.KeyNumber), d.Sealed)
			require.NoError(s.t, err)
			return password
		}
	}
	return ""
}

// managed is the account that is bound to the mooring.
func (s *service) managed(d *device, name string) api.Account {
	a, bound := s.bound(name)
	require.True(s.t, bound, "there is no mooring")
	return a
}

// bound is the same, where a device may have none for a moment.
func (s *service) bound(name string) (api.Account, bool) {
	for _, a := range s.why(name).Accounts {
		if a.Key == "mooring" {
			return a, true
		}
	}
	return api.Account{}, false
}

func TestPasswordsChangeWhenTheyAreDue(t *testing.T) {
	s := startTogether(t)
	s.publish("base", strings.Replace(desk, "%THEN%", "end-sessions", 1), 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	assert.Equal(t, "in_step", standing(s, "SKL-TKT-001"))

	// The account that was there was taken over, and has a password of six words in escrow.
	first := s.managed(d, "SKL-TKT-001")
	sid := principal.MustSID(first.SID)
	secret := s.current("SKL-TKT-001")
	assert.Len(t, strings.Split(secret, "-"), 6)
	assert.Equal(t, strings.ToUpper(secret[:1]), secret[:1])
	assert.True(t, d.Opens(sid, secret))
	deposits := s.deposits("SKL-TKT-001")
	require.Len(t, deposits, 1)
	assert.Equal(
		t,
		[]string{"current", "first", "base revision 1"},
		[]string{deposits[0].State, deposits[0].Reason, deposits[0].Policy},
	)

	// Of its age: at most a tenth early, never late, under a new name of the same account.
	s.later(9*24*time.Hour - time.Minute)
	require.NoError(t, d.Cycle(t.Context()))
	assert.Len(t, s.deposits("SKL-TKT-001"), 1, "nothing is due yet")
	s.later(24*time.Hour + 2*time.Minute) // past the rule's time, also on a device that is hardly early
	require.NoError(t, d.Cycle(t.Context()))
	deposits = s.deposits("SKL-TKT-001")
	require.Len(t, deposits, 2)
	assert.Equal(
		t,
		[]string{"current age", "former first"},
		[]string{deposits[0].State + " " + deposits[0].Reason, deposits[1].State + " " + deposits[1].Reason},
	)
	assert.False(t, d.Opens(sid, secret))
	secret = s.current("SKL-TKT-001")
	assert.True(t, d.Opens(sid, secret))
	second := s.managed(d, "SKL-TKT-001")
	assert.Equal(t, first.SID, second.SID)
	assert.NotEqual(t, first.Name, second.Name)

	// After use: whoever works there is told, and signed out once the time has come.
	require.NoError(t, d.SignIn(second.Name, secret))
	require.NoError(t, d.Cycle(t.Context()))
	require.Len(t, d.Machine().Notices, 1)
	assert.Contains(t, d.Machine().Notices[0], second.Name)
	assert.Contains(t, s.events(client.EventQuery{Kind: "account_used"})[0].Words, "somebody signed in")
	s.clock.forward(59 * time.Minute)
	require.NoError(t, d.Cycle(t.Context()))
	assert.True(t, d.SignedIn(sid))
	s.clock.forward(2 * time.Minute)
	require.NoError(t, d.Cycle(t.Context()))
	assert.False(t, d.SignedIn(sid))
	assert.Equal(t, "used", s.deposits("SKL-TKT-001")[0].Reason)
	require.NoError(t, d.Cycle(t.Context()))
	assert.Contains(
		t,
		s.events(client.EventQuery{Kind: "sessions_ended"})[0].Words,
		"as its rotation requires after a sign-in",
	)

	// Somebody else changes it: that is seen, and put right.
	require.NoError(t, d.SetPassword(t.Context(), sid, "Somebody else's 1"))
	require.NoError(t, d.Cycle(t.Context()))
	assert.Equal(t, "changed_elsewhere", s.deposits("SKL-TKT-001")[0].Reason)
	assert.True(t, d.Opens(sid, s.current("SKL-TKT-001")))
	right, err := s.owner.Findings(
		t.Context(),
		client.FindingQuery{State: "corrected", Kind: "changed_elsewhere"},
		client.Page{},
	)
	require.NoError(t, err)
	require.Len(t, right.Items, 1)
	assert.Contains(t, right.Items[0].Words, "changed outside Rank Warden")

	// The account is made anew: a new identifier, and a new password at once.
	require.NoError(t, d.DeleteAccount(t.Context(), sid))
	s.cycle(d, "SKL-TKT-001")
	require.NoError(t, d.Cycle(t.Context()))
	anew := s.managed(d, "SKL-TKT-001")
	assert.NotEqual(t, first.SID, anew.SID)
	assert.True(t, anew.Enabled)
	assert.True(t, d.Opens(principal.MustSID(anew.SID), s.current("SKL-TKT-001")))
	assert.Equal(t, "in_step", standing(s, "SKL-TKT-001"))

	// What is former beyond the number to keep goes when it is old enough.
	assert.Len(t, s.deposits("SKL-TKT-001"), 5)
	s.later(91 * 24 * time.Hour)
	require.NoError(t, d.Cycle(t.Context()))
	assert.Len(t, s.deposits("SKL-TKT-001"), 2, "the current one, and one former")
	assert.Equal(t, "current", s.deposits("SKL-TKT-001")[0].State)
}

func TestAfterUseTheDeviceRestarts(t *testing.T) {
	s := startTogether(t)
	s.publish("base", strings.Replace(desk, "%THEN%", "restart", 1), 500, "everything")
	d := s.enrolled("SKL-BRG-001")
	a := s.managed(d, "SKL-BRG-001")
	require.NoError(t, d.SignIn(a.Name, s.current("SKL-BRG-001")))
	require.NoError(t, d.Cycle(t.Context()))
	assert.Zero(t, d.Machine().Restarts)
	s.clock.forward(61 * time.Minute)
	require.NoError(t, d.Cycle(t.Context()))
	assert.Equal(t, 1, d.Machine().Restarts)
	assert.Len(t, d.Machine().Notices, 2, "when somebody signed in, and before it restarts")
	require.NoError(t, d.Cycle(t.Context()))
	assert.Equal(t, 1, d.Machine().Restarts)
	assert.Len(t, s.events(client.EventQuery{Kind: "device_restarted"}), 1)
}

// endsAgent is a workstation whose restart ends the agent before it can note anything more.
type endsAgent struct{ *simulated.Workstation }

func (h endsAgent) Restart(ctx context.Context) error {
	_ = h.Workstation.Restart(ctx)
	runtime.Goexit()
	return nil
}

func TestARestartThatEndsTheAgentIsNotRepeated(t *testing.T) {
	s := startTogether(t)
	s.publish("base", strings.Replace(desk, "%THEN%", "restart", 1), 500, "everything")
	d := s.enrolled("SKL-BRG-001")
	require.NoError(t, d.SignIn(s.managed(d, "SKL-BRG-001").Name, s.current("SKL-BRG-001")))
	require.NoError(t, d.Cycle(t.Context()))
	s.clock.forward(61 * time.Minute)
	for range 3 { // boots
		var ended sync.WaitGroup
		ended.Go(func() {
			a, err := agent.New(agent.Options{
				Host:    endsAgent{d.Workstation},
				Service: s.URL,
				Dir:     d.dir,
				HTTP:    http.DefaultClient,
				Clock:   s.devices,
				Log:     slog.New(slog.DiscardHandler),
			})
			if assert.NoError(t, err) {
				_ = a.Cycle(t.Context()) // a restart ends it
			}
		})
		ended.Wait()
	}
	assert.Equal(t, 1, d.Machine().Restarts)
	s.wake(d, "")
	s.cycle(d, "SKL-BRG-001")
	assert.Len(t, s.events(client.EventQuery{Kind: "device_restarted"}), 1)
}

// While the disk is full nothing is begun that could not be remembered; with room again it goes on.
func TestAFullDiskUnderTheAgent(t *testing.T) {
	s := startTogether(t)
	s.publish("base", strings.Replace(desk, "%THEN%", "nothing", 1), 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	sid := principal.MustSID(s.managed(d, "SKL-TKT-001").SID)
	ring, err := s.ring()
	require.NoError(t, err)
	inEscrow := func() bool {
		all, err := s.db.With(t.Context()).DepositsOf(s.why("SKL-TKT-001").Device.ID, "account:mooring")
		require.NoError(t, err)
		return slices.ContainsFunc(all, func(of store.Deposit) bool {
			password, err := ring.Open(of.About(of.KeyNumber), of.Sealed)
			return err == nil && d.Opens(sid, password)
		})
	}
	for room := range 6 { // writes until it is full
		before := len(s.deposits("SKL-TKT-001"))
		s.order("rotate", "account:mooring", "SKL-TKT-001")
		full, written := true, 0
		d.Agent, err = agent.New(agent.Options{
			Host:    d.Workstation,
			Service: s.URL,
			Dir:     d.dir,
			HTTP:    http.DefaultClient,
			Clock:   s.devices,
			Log:     slog.New(slog.DiscardHandler),
			Write: func(path string, data []byte, mode os.FileMode) error {
				if written++; full && written > room {
					return syscall.ENOSPC
				}
				return atomicfile.Write(path, data, mode)
			},
		})
		require.NoError(t, err)
		for range 3 {
			_ = d.Cycle(t.Context()) // it may say that the disk is full
			require.True(t, inEscrow(), "what opens the account, after %d writes", room)
		}
		full = false
		s.until(func() bool {
			_ = d.Cycle(t.Context()) // what was given up before is tried again in its own time
			s.clock.forward(time.Minute)
			list := s.deposits("SKL-TKT-001")
			return len(list) > before && list[0].State == "current" && d.Opens(sid, s.current("SKL-TKT-001"))
		})
	}
}

// What cannot be changed is told with its reason, tried again later, and a finding when overdue.
func TestAPasswordThatCannotBeChanged(t *testing.T) {
	s := startTogether(t)
	s.publish(
		"base",
		strings.Replace(desk, "%THEN%", "nothing", 1)+"\nlockout: {threshold: 3, duration: 0m}",
		500,
		"everything",
	)
	d := s.enrolled("SKL-HQ-001")
	a := s.managed(d, "SKL-HQ-001")
	for range 3 {
		require.Error(t, d.SignIn(a.Name, "wrong"))
	}
	s.order("rotate", "account:mooring", "SKL-HQ-001")
	s.until(func() bool {
		require.NoError(t, d.Cycle(t.Context()))
		return len(s.deposits("SKL-HQ-001")) == 1 && len(s.events(client.EventQuery{Kind: "rotation_failed"})) == 1
	})
	require.NoError(t, d.Cycle(t.Context()))
	w := s.why("SKL-HQ-001")
	assert.Equal(t, "delivered", w.Orders[0].State)
	assert.Contains(t, w.Orders[0].Detail, "the account is locked")
	assert.Contains(t, unitWhy(s, "SKL-HQ-001", "rotation.account:mooring").Findings[0].Words, "the account is locked")

	// The device says nothing for long: the service counts by the time of the deposit.
	s.later(11 * 24 * time.Hour)
	var overdue client.List[api.Finding]
	find := func() {
		require.NoError(t, s.Devices.FindOverdue(t.Context()))
		s.Changed(t.Context())
		var err error
		overdue, err = s.owner.Findings(t.Context(), client.FindingQuery{Kind: "rotation_overdue"}, client.Page{})
		require.NoError(t, err)
	}
	s.until(func() bool { find(); return len(overdue.Items) > 0 }) // it may fall to the service's own look
	find()
	require.Len(t, overdue.Items, 1, "one finding, however often one looks")
	assert.Equal(t, []string{"base"}, overdue.Items[0].Assignments)
	late, err := s.owner.Passwords(t.Context(), client.PasswordQuery{Overdue: true}, client.Page{})
	require.NoError(t, err)
	assert.Len(t, late.Items, 1)

	require.NoError(t, d.Unlock(t.Context(), principal.MustSID(a.SID)))
	s.until(func() bool {
		require.NoError(t, d.Cycle(t.Context()))
		return standing(s, "SKL-HQ-001") == "in_step"
	})
	assert.Equal(t, "done", s.why("SKL-HQ-001").Orders[0].State)
}

// later sets service time forward, beyond the session of the owner, who signs in again.
func (s *service) later(d time.Duration) {
	s.clock.forward(d)
	_, err := s.owner.SignIn(s.t.Context(), "asta", ownerPassword)
	require.NoError(s.t, err)
}

// startBudget starts a service where one may see so many passwords an hour alone; devices share its clock.
func startBudget(t *testing.T, budget int) *service {
	s := startTogether(t)
	s.stop()
	s.config.RevealBudget = budget
	s.run()
	return s
}

// startTogether starts a service whose clock its devices share.
func startTogether(t *testing.T) *service {
	s := start(t)
	s.devices = together{s.clock}
	return s
}
