package e2e

import (
	"context"
	"fmt"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/client"
	"rankwarden.example/internal/store"
)

// pruned runs retention once more, from its beginning to its end: the service's own run may have begun before what the
// test did, and so proves nothing.
func (s *service) pruned() {
	s.until(func() bool {
		ran, err := s.Retention.Prune(s.t.Context())
		require.NoError(s.t, err)
		return ran
	})
}

// What is no longer kept goes; the last report of each day, the present, and the trail stay.
func TestWhatIsKeptAndForHowLong(t *testing.T) {
	s := startTogether(t)
	s.publish("base", "passwords:\n  min_length: 14\n", 500, "everything")
	d := s.enrolled("SKL-HQ-001")
	count := func(what string) int {
		n, err := query[int](t, s.config.Database, "select count(*) from "+what)
		require.NoError(t, err)
		return n
	}
	for _, name := range []string{"long-ago", "lately", "open"} {
		_, err := s.owner.CreateChange(t.Context(), name, "", "")
		require.NoError(t, err)
	}
	past := []string{
		// Three reports a day for 400 days, of which two say the same.
		`insert into device_reports (device_id, epoch, seq, desired_epoch, desired_number, at, received_at, digest,
			body) select device_id, epoch, -d * 10 - k, desired_epoch, desired_number, at, date_trunc('day', now(),
			'UTC') - d * interval '1 day' +
			k * interval '1 hour', digest, body || jsonb_build_object('os_build', k % 2)
			from reports, generate_series(1, 400) d, generate_series(1, 3) k where id = (select max(id) from reports)
			order by d desc, k`,
		`update changes set state = 'done', closed_at = now() - case name when 'lately' then 3
			else 4 end * interval '365 days' where name <> 'open'`,
		`insert into rollouts (id, change_id, name, state, version, body, edits, touches,
			trouble, started_at, started_by, looked_at, ended_at, give_back) select id, id, name, 'done', 1, '{}', '[]',
			'[]', '',
			closed_at, 'asta', closed_at, closed_at, false from changes where closed_at is not null`,
		`insert into rollout_devices (rollout_id, device_id, wave, outcome, failing, units, epoch, number, since)
			select r.id, d.id, 0, 'verified', '[]', '[]', 1, 1, now() from rollouts r, devices d`,
		`insert into waivers (id, device_id, unit, subject, words, state, reason, until, made_by, made_at, approved_by,
			ended_by, ended_at)
			select 'W' || k, id, 'lockout', '', '', 'ended', '', now(), 'asta', now(), '', 'asta',
			now() - k * interval '300 days'
			from devices, generate_series(1, 2) k`,
		`insert into brakes (id, kind, object, state, request, fleet, devices, leaving, sums, asked_by, asked_at,
			decided_by, decided_at, reason)
			select 'B' || k, 'rule', '', 'refused', '{}', 1, 1, 0, '[]', 'asta', now(), 'asta',
			now() - k * interval '700 days', ''
			from generate_series(1, 2) k`,
		`insert into device_events (device_id, epoch, seq, at, received_at, kind, unit, subject)
			select id, 9, k, now(), now() - k * interval '10 days', 'value_set', 'lockout', '' from devices,
			generate_series(1, 50) k`,
		`insert into findings (device_id, key, unit, kind, subject, assignments, state, first_seen, last_seen,
			closed_at)
			select id, 'x', 'lockout', 'wrong_value', '', '[]', 'closed', now(), now(), now() - k * interval '100 days'
			from devices,
			generate_series(1, 5) k`,
		`delete from retention`, // the run at the start came before them
	}
	// The service's own run begins before what was long ago is there, or after it, and not in the middle.
	s.until(func() bool {
		ran, err := s.Retention.Locks.Exclusively(t.Context(), store.LockRetention, func(context.Context) error {
			for _, statement := range past {
				if err := change(t, s.config.Database, statement); err != nil {
					return err
				}
			}
			return nil
		})
		require.NoError(t, err)
		return ran
	})
	trail := count("audit_entries")
	s.pruned()
	assert.Equal(t, 1, count("brakes"))
	assert.Equal(t, []int{1, 0, 2, 1}, []int{count("rollouts"), count("rollout_devices"), count("changes"),
		count("waivers")})
	assert.Equal(t, 0, count("changes where name = 'long-ago'"))
	assert.Equal(t, 2, count("changes"), "an open change stays, whatever its age")
	assert.Equal(t, 0, count("device_events where received_at < now() - interval '366 days' - interval '31 days'"))
	assert.GreaterOrEqual(t, count("device_events where epoch = 9"), 36, "a year of events, by the month")
	assert.Equal(t, 3, count("findings"), "a year of closed ones, by the month")
	assert.Equal(t, trail, count("audit_entries"))

	// The last report of each day is kept apart for the days that are about to go, what it says once a month.
	day := func(n int) string {
		return fmt.Sprintf("daily_reports where received_at >= date_trunc('day', now(), "+
			"'UTC') - interval '%[1]d days' and received_at < date_trunc('day', now(), 'UTC') - interval '%[1]d "+
			"days' + interval '1 day'", n)
	}
	assert.Equal(t, []int{0, 1, 1, 0}, []int{count(day(29)), count(day(31)), count(day(360)), count(day(399))})
	assert.Equal(t, 0, count("(select from daily_reports group by date_trunc('day', received_at, "+
		"'UTC') having count(*) > 1) x"), "one for each day")
	assert.Equal(t, count("(select distinct date_trunc('month', received_at, 'UTC') from daily_reports) x"),
		count("daily_bodies"))
	kept := count("daily_reports")
	s.pruned()
	assert.Equal(t, kept, count("daily_reports"), "a second run finds nothing to do")

	// Months go at once; those to come are there.
	s.later(70 * 24 * time.Hour)
	s.pruned()
	assert.Equal(t, 0, count("device_reports where seq < 0"))
	assert.Equal(t, 0, count("pg_class where relname in ('device_reports_before', 'report_bodies_before')"))
	assert.Equal(t, 2, count("history_parts('device_events') where first > now() + interval '70 days' "+
		"and past is not null"), "two months ahead")
	then, err := query[string](t, s.config.Database,
		`select r.seq || ' ' || (r.body ->> 'seq') || ' ' || (r.body ->> 'os_build') from reports r
		where received_at < date_trunc('day', now(), 'UTC') - interval '99 days' order by received_at desc limit 1`)
	require.NoError(t, err)
	assert.Equal(t, "-1003 -1003 1", then, "the last of its day, and what it said")
	s.until(func() bool {
		require.NoError(t, d.Cycle(t.Context()))
		return s.why("SKL-HQ-001").Device.Standing == "in_step"
	})
	assert.Contains(t, s.why("SKL-HQ-001").Units[0].Reported, "14", "what a device has now stays, whenever it was said")

	// More than a year later nothing of then is there but what the device was told last, and said last.
	s.later(400 * 24 * time.Hour)
	s.pruned()
	assert.Equal(t, []int{0, 1, 0},
		[]int{count("device_events where epoch in (1, 9)"), count("daily_reports"), count("findings")})
	assert.Equal(t, []int{1, 1}, []int{count("desired_states"), count("daily_bodies")})
	assert.Equal(t, "14 characters", s.why("SKL-HQ-001").Units[0].Desired)
	assert.Contains(t, s.why("SKL-HQ-001").Units[0].Reported, "14")
	s.publish("later", "lockout: {threshold: 7}", 400, "everything")
	s.cycle(d, "SKL-HQ-001")
	assert.Equal(t, 2, count("desired_states"))
	assert.Equal(t, trail, count("audit_entries where seq <= "+strconv.Itoa(trail)))
}

// What a device tells again is known, also where the first time was in another month.
func TestAnEventThatIsToldAgainInAnotherMonth(t *testing.T) {
	s := startTogether(t)
	s.publish("base", "passwords: {min_length: 14}", 500, "everything")
	s.enrolled("SKL-HQ-001")
	known := []store.DeviceEvent{{DeviceID: s.why("SKL-HQ-001").
		Device.ID, Epoch: 1, Seq: 50, At: time.Now(), Kind: "value_set", Unit: "lockout"}}
	add := func() int {
		for i := range known {
			known[i].ReceivedAt = time.Now()
		}
		require.NoError(t, s.db.InTx(t.Context(), func(tx store.Writer) error { return tx.AddEvents(known) }))
		return len(s.events(client.EventQuery{}))
	}
	before := add()
	require.NoError(t, change(t, s.config.Database,
		"update device_events set received_at = received_at - interval '30 days'"))
	assert.Equal(t, before, add())
	known[0].Seq = 51
	assert.Equal(t, before+1, add())
	assert.Equal(t, before+1, add(), "and in this month")
}

// Whoever lost a lock without knowing changes nothing any more.
func TestALostLockChangesNothing(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	write := func(ctx context.Context) error {
		return s.db.InTx(ctx, func(tx store.Writer) error {
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
