package e2e

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/store"
)

// What is no longer kept goes; the last report of each day, the present, and the trail stay.
func TestWhatIsKeptAndForHowLong(t *testing.T) {
	s := start(t)
	s.publish("base", "passwords:\n  min_length: 14\n", 500, "everything")
	s.enrolled("SKL-HQ-001")
	require.NoError(
		t,
		change(
			t,
			s.config.Database,
			`insert into reports (device_id, epoch, seq, desired_epoch, desired_number, at, received_at, digest, body)
		select device_id, epoch, -d * 10 - k, desired_epoch, desired_number, at, date_trunc('day', now()) - d * interval
		'1 day' + k * interval '1 hour', digest, body
		from reports, generate_series(1, 400) d, generate_series(1, 3) k where id = (select max(id) from reports) order by d
		desc, k`,
		),
	)
	count := func(what string) int {
		n, err := query[int](t, s.config.Database, "select count(*) from "+what)
		require.NoError(t, err)
		return n
	}
	for _, name := range []string{"long-ago", "lately", "open"} {
		_, err := s.owner.CreateChange(t.Context(), name, "", "")
		require.NoError(t, err)
	}
	require.NoError(t, change(t, s.config.Database, `update changes set state = 'done',
		closed_at = now() - case name when 'lately' then 3 else 4 end * interval '365 days' where name <> 'open'`))
	require.NoError(t, change(t, s.config.Database, `insert into rollouts (id, change_id, name, state, version, body, edits, touches,
		trouble, started_at, started_by, looked_at, ended_at, give_back) select id, id, name, 'done', 1, '{}', '[]', '[]', '',
		closed_at, 'asta', closed_at, closed_at, false from changes where closed_at is not null`))
	require.NoError(t, change(t, s.config.Database, `insert into rollout_devices (rollout_id, device_id, wave, outcome, failing,
		units, epoch, number, since) select r.id, d.id, 0, 'verified', '[]', '[]', 1, 1, now() from rollouts r, devices d`))
	require.NoError(t, change(t, s.config.Database, `insert into waivers (id, device_id, unit, subject, words, state, reason, until,
		made_by, made_at, approved_by, ended_by, ended_at) select 'W' || k, id, 'lockout', '', '', 'ended', '', now(), 'asta', now(), '',
		'asta', now() - k * interval '300 days' from devices, generate_series(1, 2) k`))
	require.NoError(t, change(t, s.config.Database, `insert into brakes (id, kind, object, state, request, fleet, devices, leaving, sums,
		asked_by, asked_at, decided_by, decided_at, reason) select 'B' || k, 'rule', '', 'refused', '{}', 1, 1, 0, '[]', 'asta', now(),
		'asta', now() - k * interval '700 days', '' from generate_series(1, 2) k`))
	present, trail, events := count("reports where seq > 0"), count("audit_entries"), count("device_events")
	require.Equal(t, 1200, count("reports where seq < 0"))
	require.NoError(
		t,
		change(
			t,
			s.config.Database,
			`insert into device_events (device_id, epoch, seq, at, received_at, kind, unit, subject)
		select id, 9, k, now(), now() - k * interval '10 days', 'value_set', 'lockout', '' from devices, generate_series(1,
		50) k`,
		),
	)
	require.NoError(t, change(t, s.config.Database, "delete from retention")) // the run at the start came before them
	s.until(
		func() bool { // one at a time, and the service may be at it
			require.NoError(t, s.Intake.Prune(t.Context()))
			return count("device_events") == events+36
		},
	)
	s.until(func() bool { // the kinds come one after the other
		require.NoError(t, s.Intake.Prune(t.Context()))
		return count("brakes") == 1
	})
	assert.Equal(t, []int{1, 0, 2, 1}, []int{count("rollouts"), count("rollout_devices"), count("changes"), count("waivers")})
	assert.Equal(t, present, count("reports where seq > 0"))
	assert.Equal(t, 0, count("reports where seq < 0 and received_at < now() - interval '367 days'"))
	assert.Equal(
		t,
		1,
		count(
			"(select 1 from reports where seq < 0 and received_at < now() - interval '31 days' group by date_trunc('day', received_at) having count(*) = 1 limit 1) x",
		),
	)
	assert.Equal(
		t,
		0,
		count(
			"(select 1 from reports where received_at < now() - interval '32 days' group by date_trunc('day', received_at) having count(*) > 1) x",
		),
		"one for each day",
	)
	assert.Equal(
		t,
		3,
		count(
			"reports where seq < 0 and received_at >= date_trunc('day', now()) - interval '10 days' and received_at < date_trunc('day', now()) - interval '9 days'",
		),
		"all of the last weeks",
	)
	assert.Equal(t, events+36, count("device_events"), "a year of events")
	assert.Equal(t, trail, count("audit_entries"))
	assert.Equal(t, 0, count("changes where name = 'long-ago'"))
	assert.Equal(t, 2, count("changes"), "an open change stays, whatever its age")
	require.NoError(t, s.Intake.Prune(t.Context()), "a second run finds nothing to do")
	assert.Equal(t, events+36, count("device_events"))
}

// Whoever lost a lock without knowing changes nothing any more.
func TestALostLockChangesNothing(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	write := func(ctx context.Context) error {
		return s.db.InTx(ctx, func(tx store.Tx) error {
			return tx.RequestSettle(store.SettleRequest{Cause: "test", CreatedAt: time.Now()})
		})
	}
	mine, err := s.db.Exclusively(ctx, store.LockDirectory, func(ctx context.Context) error {
		require.NoError(t, write(ctx))
		other, err := s.db.Exclusively(t.Context(), store.LockDirectory, func(context.Context) error { return nil })
		require.NoError(t, err)
		assert.False(t, other, "it is held")
		// It was not renewed in time, and another replica takes it.
		require.NoError(t, change(t, s.config.Database, "update fences set ends_at = '-infinity' where lock = 84704"))
		s.until(func() bool {
			taken, err := s.db.Exclusively(t.Context(), store.LockDirectory, write)
			require.NoError(t, err)
			return taken
		})
		return write(ctx)
	})
	assert.True(t, mine)
	assert.ErrorIs(t, err, store.ErrFenced)
}
