package reconcile_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host/simulated"
	"rankwarden.example/internal/agent/journal"
	"rankwarden.example/internal/agent/reconcile"
	"rankwarden.example/internal/wire/protocol"
)

const nobodyElse = `{"state": "disabled", "grace_minutes": 4320, "allow": ["mech*"]}`

func days(n int) time.Time { return now.AddDate(0, 0, n) }

// pass does one pass at a time, with what an earlier one left.
func pass(
	t *testing.T, w *simulated.Workstation, at time.Time, before reconcile.Outcome, settings ...unit.Setting,
) (reconcile.Outcome, []string) {
	j := job(settings, before.Bindings)
	j.Now, j.Counted, j.Made, j.Changing = at, before.Counted, before.Made, before.Changing
	outcome, err := reconcile.Run(t.Context(), w, j)
	require.NoError(t, err)
	var did []string
	for _, e := range outcome.Events {
		did = append(did, fmt.Sprint(e.Kind, " ", e.Subject))
	}
	return outcome, did
}

// Accounts that no policy names are told at once and a day before, and disabled when their grace is over; the guard
// holds, and what something runs as is spared.
func TestOtherAccountsAreDisabled(t *testing.T) {
	w := workstation(t)
	w.AddAccount("visitor")
	require.NoError(t, w.SetPassword(t.Context(), w.Find("visitor"), "known"))
	require.NoError(t, w.SignIn("visitor", "known"))
	w.AddAccount("tide")
	w.Serve("service tide-sync", w.Find("tide"))
	rule := setting("accounts.others", nobodyElse)
	first, did := pass(t, w, days(0), reconcile.Outcome{}, rule)
	assert.Equal(t, []string{"account_counts keeper", "account_counts setup", "account_counts visitor",
		"account_counts tide"}, did)
	assert.Equal(t, days(3), *first.Events[0].Time)
	assert.True(t, account(t, first.After, "visitor").Enabled)

	again, did := pass(t, w, days(1), first, rule)
	assert.Empty(t, did, "nobody is told twice")
	w.AddAccount("late")
	again, did = pass(t, w, days(2), again, rule)
	assert.Equal(t, []string{"account_counts keeper", "account_counts setup", "account_counts visitor",
		"account_counts tide", "account_counts late"}, did, "a day before it is told again")
	assert.Equal(t, days(5), *again.Events[4].Time, "the grace of each is its own")

	over, did := pass(t, w, days(3), again, rule)
	assert.Equal(t, []string{"account_disabled keeper", "account_disabled visitor"}, did)
	require.Len(t, over.Failures, 1, "the guard keeps the last administrator")
	assert.Equal(t, drift.GuardError, over.Failures[0].Error)
	assert.True(t, account(t, over.After, "setup").Enabled)
	assert.True(t, account(t, over.After, "tide").Enabled, "something runs as it")
	assert.True(t, account(t, over.After, "mechanic").Enabled, "it is allowed")
	assert.False(t, w.SignedIn(w.Find("visitor")))
	assert.ElementsMatch(t, []principal.SID{w.Find("keeper"), w.Find("visitor")}, over.Disabled)

	require.NoError(t, w.EnableAccount(t.Context(), w.Find("visitor"), true))
	back, did := pass(t, w, days(3), over, rule)
	assert.Equal(t, []string{"account_disabled visitor"}, did, "its grace is over already")

	gone, did := pass(t, w, days(4), back)
	assert.Empty(t, did)
	assert.Empty(t, gone.Counted, "without the rule nothing is counted")
}

// What was disabled is enabled again when the rule is taken back with what it did.
func TestOtherAccountsAreGivenBack(t *testing.T) {
	w := workstation(t)
	w.AddAccount("visitor")
	rule := setting("accounts.others", nobodyElse)
	first, _ := pass(t, w, days(0), reconcile.Outcome{}, rule)
	over, _ := pass(t, w, days(3), first, rule)
	j := &journal.Journal{Bindings: map[string]principal.SID{}}
	for _, sid := range over.Disabled {
		j.Remember(days(3), []journal.Taken{{Unit: unit.Others, Member: sid}})
	}
	due := []protocol.GiveBack{{Since: days(1), Units: []unit.ID{unit.Others}}}
	state, err := w.Read(t.Context())
	require.NoError(t, err)
	ruled := reconcile.Return(due, []unit.Setting{rule}, &state, j)
	assert.Empty(t, ruled.Enable, "a policy in force disables them")
	assert.Len(t, ruled.Refused, 2)

	back := reconcile.Return(due, nil, &state, j)
	assert.ElementsMatch(t, over.Disabled, back.Enable)
	again := job(nil, nil)
	again.Enable = back.Enable
	outcome, err := reconcile.Run(t.Context(), w, again)
	require.NoError(t, err)
	assert.True(t, account(t, outcome.After, "visitor").Enabled)
	assert.Equal(t, drift.GivenBack, outcome.Returned(nil, back.Enable)[0].Kind)
}

// A local group that a policy asks for is made, and goes when nobody asks for it and nobody is in it.
func TestLocalGroupsAreMade(t *testing.T) {
	w := workstation(t)
	crew := setting("membership.harbour crew",
		`{"closed": false, "present": ["local:mechanic"], "absent": [], "create": true}`)
	made, did := pass(t, w, now, reconcile.Outcome{}, crew)
	assert.Equal(t, []string{"group_created harbour crew", "member_added local:mechanic"}, did)
	group, there := made.After.Group("harbour crew")
	require.True(t, there)
	assert.True(t, group.Made && group.Has(w.Find("mechanic")))
	again, did := pass(t, w, now, made, crew)
	assert.Empty(t, did)
	kept, did := pass(t, w, now, again)
	assert.Empty(t, did, "somebody is in it")
	require.NoError(t, w.RemoveMember(t.Context(), group.SID, w.Find("mechanic")))
	gone, did := pass(t, w, now, kept)
	assert.Equal(t, []string{"group_removed harbour crew"}, did)
	assert.Empty(t, gone.Made)

	own, err := w.CreateGroup(t.Context(), "harbour crew") // by hand, this time
	require.NoError(t, err)
	found, _ := pass(t, w, now, reconcile.Outcome{}, crew)
	assert.Empty(t, found.Made)
	require.NoError(t, w.RemoveMember(t.Context(), own, w.Find("mechanic")))
	_, did = pass(t, w, now, found)
	assert.Empty(t, did, "what the device did not make stays")
}

// Who uses an account that keeps its password is told once to change it.
func TestAChangeIsAskedForOnce(t *testing.T) {
	w := workstation(t)
	require.NoError(t, w.SetPassword(t.Context(), w.Find("mechanic"), "known"))
	asked := setting("accounts.desk", `{"name": "mechanic", "formerly": [], "state": "enabled", "full_name": "",
		"description": "", "password_expires": false, "keep_password": true, "change_at_next_sign_in": true}`)
	first, _ := pass(t, w, now, reconcile.Outcome{}, asked)
	require.ErrorIs(t, w.SignIn("mechanic", "known"), simulated.ErrMustChange)
	require.NoError(t, w.Change(t.Context(), "mechanic", "known", "new"))
	_, _ = pass(t, w, now, first, asked)
	assert.NoError(t, w.SignIn("mechanic", "new"), "and not again")
}
