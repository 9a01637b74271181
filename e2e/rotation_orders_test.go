package e2e

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

// Orders to change passwords wait for a device that is off, join a change under way, and are told
// apart by whether a rule changes anything.
func TestOrdersToChangePasswords(t *testing.T) {
	s := startTogether(t)
	s.publish("base", strings.Replace(desk, "%THEN%", "nothing", 1), 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	batch, err := s.owner.SendOrder(t.Context(), api.NewOrder{Kind: "rotate", Group: "everything"})
	require.NoError(t, err)
	assert.Equal(t, api.OrderProgress{Batch: batch.Batch, Given: 1, By: map[string]int{"queued": 1}}, batch)
	s.later(3 * 24 * time.Hour)
	assert.Equal(t, []string{"rotate queued"}, s.became("SKL-TKT-001"), "it never ends")
	progress, err := s.owner.OrderProgress(t.Context(), batch.Batch)
	require.NoError(t, err)
	batch.Silent = 1
	assert.Equal(t, batch, progress)
	s.until(func() bool {
		require.NoError(t, d.Cycle(t.Context()))
		progress, err := s.owner.OrderProgress(t.Context(), batch.Batch)
		require.NoError(t, err)
		return progress.Ended == 1 && progress.By["done"] == 1
	})
	assert.Equal(t, "ordered", s.deposits("SKL-TKT-001")[0].Reason)
	assert.Contains(t, s.why("SKL-TKT-001").Orders[0].Detail, "deposit 1.2")

	s.order("rotate", "builtin:administrator", "SKL-TKT-001")
	s.until(func() bool {
		require.NoError(t, d.Cycle(t.Context()))
		return s.why("SKL-TKT-001").Orders[0].State == "failed"
	})
	assert.Contains(t, s.why("SKL-TKT-001").Orders[0].Detail, "no rule changes this password")
	assert.Len(t, s.deposits("SKL-TKT-001"), 2)

	// A rule that goes leaves the password in escrow, and says that nobody changes it any more.
	assignment, err := s.owner.Assignment(t.Context(), "base")
	require.NoError(t, err)
	require.NoError(t, s.owner.DeleteAssignment(t.Context(), "base", assignment.Version))
	s.cycle(d, "SKL-TKT-001")
	require.NoError(t, d.Cycle(t.Context()))
	assert.Len(t, s.events(client.EventQuery{Kind: "rotation_stopped"}), 1)
	list, err := s.owner.Passwords(t.Context(), client.PasswordQuery{}, client.Page{})
	require.NoError(t, err)
	require.Len(t, list.Items, 1)
	assert.Nil(t, list.Items[0].EveryMinutes)
}

// A device whose row is locked while it gives a password to escrow waits for its row. Nothing tells it that its numbers
// were used before.
func TestALockedDeviceGivesItsPasswordAfterwards(t *testing.T) {
	s := startTogether(t)
	s.publish("base", strings.Replace(desk, "%THEN%", "nothing", 1), 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	s.order("rotate", "account:mooring", "SKL-TKT-001")
	letGo := holding(t, s.config.Database, "select 1 from devices where name = 'SKL-TKT-001' for update")
	cycled := make(chan error, 1)
	go func() { cycled <- d.Cycle(t.Context()) }()
	s.until(func() bool {
		waits, err := query[bool](t, s.config.Database,
			`select exists (select from pg_stat_activity where datname = current_database()
			and wait_event_type = 'Lock' and query ~ 'from "?devices"?.* for update')`)
		require.NoError(t, err)
		return waits
	})
	letGo()
	require.NoError(t, <-cycled)
	s.until(func() bool {
		require.NoError(t, d.Cycle(t.Context()))
		return s.became("SKL-TKT-001")[0] == "rotate done"
	})
	list := s.deposits("SKL-TKT-001")
	assert.Equal(t, api.DepositRef{Epoch: 1, Number: 2}, list[0].DepositRef, "it began no epoch")
	assert.True(t, d.Opens(d.Find(s.managed(d, "SKL-TKT-001").Name), s.current("SKL-TKT-001")))
}

// An order for every password of a device is done when all of them were changed.
func TestAnOrderForSeveralPasswords(t *testing.T) {
	s := startTogether(t)
	s.publish(
		"base",
		"accounts: [{key: mooring, name: mooring}, {key: second, name: second, local_groups: [administrators]}]\n"+
			"rotation: [{target: account:mooring}, {target: account:second}]",
		500,
		"everything",
	)
	d := s.enrolled("SKL-TKT-001")
	s.order("rotate", "", "SKL-TKT-001")
	s.until(func() bool {
		require.NoError(t, d.Cycle(t.Context()))
		return s.became("SKL-TKT-001")[0] != "rotate queued" && s.became("SKL-TKT-001")[0] != "rotate delivered"
	})
	assert.Equal(t, []string{"rotate done"}, s.became("SKL-TKT-001"))
	list, err := s.owner.DevicePasswords(t.Context(), "SKL-TKT-001")
	require.NoError(t, err)
	require.Len(t, list, 2)
	for _, p := range list {
		assert.Len(t, p.Deposits, 2, p.Account)
	}
}

// Without a live escrow key nothing is changed, and the account that waits for it is not enabled.
func TestNoKeyNoChange(t *testing.T) {
	s := startTogether(t)
	require.NoError(t, change(t, s.config.Database, "update escrow_keys set state = 'new', proved_at = null"))
	s.restart()
	s.publish(
		"base",
		"accounts: [{key: mooring, name: desk-mooring, local_groups: [administrators]}]\nrotation: [{target: "+
			"account:mooring}]",
		500,
		"everything",
	)
	d := s.enrolled("SKL-TKT-001")
	a := s.managed(d, "SKL-TKT-001")
	assert.False(t, a.Enabled)
	assert.False(t, inAdministrators(t, d, "desk-mooring"))
	u := unitWhy(s, "SKL-TKT-001", "rotation.account:mooring")
	require.NotEmpty(t, u.Findings)
	assert.Contains(t, u.Findings[0].Words, "no live escrow key")

	o, err := s.owner.Overview(t.Context())
	require.NoError(t, err)
	require.Len(t, o.Decisions, 1)
	assert.Equal(t, "no_key", o.Decisions[0].Kind)

	s.escrowKey()
	s.until(func() bool {
		s.clock.forward(2 * time.Minute)
		require.NoError(t, d.Cycle(t.Context()))
		return s.managed(d, "SKL-TKT-001").Enabled
	})
	assert.True(t, inAdministrators(t, d, "desk-mooring"))
	assert.True(t, d.Opens(d.Find("desk-mooring"), s.current("SKL-TKT-001")))
}
