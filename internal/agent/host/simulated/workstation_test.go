package simulated_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/agent/host/simulated"
	"rankwarden.example/internal/wire/protocol"
)

type clock struct{ at time.Time }

func (c *clock) now() time.Time { return c.at }

func boot() (*simulated.Workstation, *clock) {
	c := &clock{time.Date(2031, 3, 4, 6, 0, 0, 0, time.UTC)}
	w := simulated.Boot(
		simulated.Factory(
			protocol.Facts{Name: "SKL-TKT-001", Platform: "windows"},
			principal.MustSID("S-1-5-21-7-8-9"),
			c.at,
		),
		c.now,
	)
	w.AddAccount("keeper")
	return w, c
}

func TestLockoutCounts(t *testing.T) {
	w, c := boot()
	require.NoError(t, w.SetPassword(t.Context(), w.Find("keeper"), "right"))
	require.NoError(
		t,
		w.SetLockout(t.Context(), unit.LockoutRule{Threshold: 3, DurationMinutes: 15, WindowMinutes: 10}),
	)
	wrong := func(times int) {
		for range times {
			require.ErrorIs(t, w.SignIn("keeper", "x"), simulated.ErrWrong)
		}
	}
	wrong(2)
	require.NoError(t, w.SignIn("keeper", "right"))
	wrong(2)
	c.at = c.at.Add(10 * time.Minute)
	wrong(2) // the counter began anew after the window
	wrong(1)
	assert.ErrorIs(t, w.SignIn("keeper", "right"), simulated.ErrLocked)
	state, err := w.Read(t.Context())
	require.NoError(t, err)
	assert.Equal(t, c.at.Add(15*time.Minute), *state.Accounts[2].LockedUntil)
	c.at = c.at.Add(15 * time.Minute)
	assert.NoError(t, w.SignIn("keeper", "right"))

	require.NoError(t, w.SetLockout(t.Context(), unit.LockoutRule{Threshold: 1, DurationMinutes: 0, WindowMinutes: 10}))
	wrong(1)
	c.at = c.at.Add(1000 * time.Hour)
	assert.ErrorIs(t, w.SignIn("keeper", "right"), simulated.ErrLocked, "until someone unlocks")
	require.NoError(t, w.Unlock(t.Context(), w.Find("keeper")))
	require.NoError(t, w.SetLockout(t.Context(), unit.LockoutRule{}))
	wrong(2000)
	assert.NoError(t, w.SignIn("keeper", "right"), "a threshold of zero never locks")
}

// What the agent tries counts like what people try.
func TestCheckingAPasswordCounts(t *testing.T) {
	w, _ := boot()
	sid := w.Find("keeper")
	require.NoError(t, w.SetPassword(t.Context(), sid, "right"))
	require.NoError(t, w.EnableAccount(t.Context(), sid, false))
	assert.NoError(t, w.CheckPassword(t.Context(), sid, "right"), "also while it is disabled")
	require.NoError(
		t,
		w.SetLockout(t.Context(), unit.LockoutRule{Threshold: 2, DurationMinutes: 15, WindowMinutes: 15}),
	)
	assert.ErrorIs(t, w.CheckPassword(t.Context(), sid, "wrong"), simulated.ErrWrong)
	assert.ErrorIs(t, w.CheckPassword(t.Context(), sid, "wrong"), simulated.ErrWrong)
	assert.ErrorIs(t, w.CheckPassword(t.Context(), sid, "right"), simulated.ErrLocked)
	assert.True(t, w.Opens(sid, "right"))
}

func TestPasswordRulesRefuse(t *testing.T) {
	w, _ := boot()
	require.NoError(
		t,
		w.SetPasswords(t.Context(), drift.Passwords{MinLength: new(8), History: new(2), Complexity: new(true)}),
	)
	assert.ErrorContains(t, w.SetPassword(t.Context(), w.Find("keeper"), "Ab1"), "8 characters")
	assert.ErrorContains(t, w.SetPassword(t.Context(), w.Find("keeper"), "abcdefgh1"), "three classes")
	for _, next := range []string{"Harbour-1", "Harbour-2", "Harbour-3", "Harbour-4"} {
		require.NoError(t, w.SetPassword(t.Context(), w.Find("keeper"), next))
	}
	assert.ErrorContains(t, w.SetPassword(t.Context(), w.Find("keeper"), "Harbour-2"), "used before")
	assert.NoError(t, w.SetPassword(t.Context(), w.Find("keeper"), "Harbour-1"), "older than what is remembered")
}

func TestRefusesWhatAnOperatingSystemWould(t *testing.T) {
	w, _ := boot()
	administrators := drift.WellKnown(unit.GroupAdministrators)
	assert.ErrorIs(
		t,
		w.RemoveMember(t.Context(), administrators, principal.MustSID("S-1-5-21-7-8-9-500")),
		simulated.ErrKeepsOwn,
	)
	assert.ErrorIs(
		t,
		w.AddMember(t.Context(), administrators, principal.MustSID("S-1-5-21-1-1-1-1")),
		host.ErrUnresolved,
	)
	assert.ErrorIs(
		t,
		w.AddMember(t.Context(), principal.MustSID("S-1-5-32-999"), principal.MustSID("S-1-5-21-7-8-9-500")),
		simulated.ErrNoGroup,
	)
	assert.ErrorIs(
		t,
		w.SetLockout(t.Context(), unit.LockoutRule{Threshold: 1, DurationMinutes: 5, WindowMinutes: 6}),
		simulated.ErrRules,
	)
	assert.ErrorIs(t, w.SetPasswords(t.Context(), drift.Passwords{MinAgeDays: new(42)}), simulated.ErrRules)
	assert.ErrorIs(t, w.SignIn("Administrator", ""), simulated.ErrDisabled)
}
