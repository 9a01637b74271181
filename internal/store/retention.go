package store

import (
	"context"
	"slices"
	"time"
)

// RetentionPeriods says how long records are kept. The first five go by the month, once all of it is older.
type RetentionPeriods struct {
	Reports       time.Duration // every report; of older ones the last of each day
	DailyReports  time.Duration // the last report of each day
	Events        time.Duration
	DesiredStates time.Duration // superseded ones
	Findings      time.Duration // closed ones
	Orders        time.Duration // ended ones
	Changes       time.Duration // applied or dropped ones, with their edits; the audit trail keeps what they did
	Attempts      time.Duration // wrong passwords
	Notifications time.Duration // with their deliveries
}

// pruneBatch is the most records that are deleted in one statement.
const pruneBatch = 5000

// prune is one kind of record that is deleted after a time.
type prune struct {
	what  string
	sql   string // deletes at most $1 records that are older than $2
	older time.Duration
}

func prunes(k RetentionPeriods) []prune {
	return []prune{
		// Of the months; what is older than that was there before there were months, and goes bit by bit.
		{
			"device events",
			`delete from device_events where received_at < date_trunc('month', $2::timestamptz, 'UTC') and id = any(array(select id
				from device_events where received_at < date_trunc('month', $2::timestamptz, 'UTC') order by received_at limit $1))`,
			k.Events,
		},
		{
			"findings",
			`delete from findings where closed_at < date_trunc('month', $2::timestamptz, 'UTC') and id = any(array(select id
				from findings where closed_at < date_trunc('month', $2::timestamptz, 'UTC') order by closed_at limit $1))`,
			k.Findings,
		},
		{
			"orders",
			`delete from orders where id = any(array(select id from orders where created_at < $2 and (state not in ('queued',
				'delivered') or ends_at < $2) order by created_at limit $1))`,
			k.Orders,
		},
		{
			"devices of rollouts",
			`delete from rollout_devices where (rollout_id, device_id) in (select d.rollout_id, d.device_id from rollouts r
				join rollout_devices d on d.rollout_id = r.id where r.ended_at < $2 limit $1)`,
			k.Findings,
		},
		{
			"rollouts",
			"delete from rollouts where id = any(array(select id from rollouts where ended_at < $2 order by ended_at limit $1))",
			k.Changes,
		},
		{
			"changes",
			`delete from changes where id = any(array(select c.id from changes c where c.closed_at < $2
			and not exists (select 1 from rollouts r where r.change_id = c.id) order by c.closed_at limit $1))`,
			k.Changes,
		},
		{
			"waivers",
			"delete from waivers where id = any(array(select id from waivers where ended_at < $2 order by ended_at limit $1))",
			k.Findings,
		},
		{
			"edits that the brake held",
			"delete from brakes where id = any(array(select id from brakes where decided_at < $2 order by decided_at limit $1))",
			k.Changes,
		},
		{
			"notifications",
			"delete from notifications where id = any(array(select id from notifications where at < $2 order by at limit $1))",
			k.Notifications,
		},
		{
			"sign-in failures",
			"delete from sign_in_failures where subject = any(array(select subject from sign_in_failures where last_at < $2 " +
				"and blocked_to < $2 order by last_at limit $1))",
			k.Attempts,
		},
		{
			"sessions",
			"delete from sessions where hash = any(array(select hash from sessions where expires_at < $2 limit $1))",
			0,
		},
		{
			"replicas that are gone",
			"delete from replicas where id = any(array(select id from replicas where at < $2 limit $1))",
			24 * time.Hour,
		},
		{
			"approvals",
			"delete from approvals where id = any(array(select id from approvals where ends_at < $2 limit $1))",
			k.Orders,
		},
	}
}

// Prune deletes what is no longer kept, a batch at a time, and gives the number of records by kind. It may be cut anywhere: the
// next turn goes on from there.
func (s *Store) Prune(ctx context.Context, kept RetentionPeriods, now time.Time) (map[string]int64, error) {
	ctx = ForJobs(ctx)
	gone := map[string]int64{}
	if err := s.extendMonths(ctx, kept, now); err != nil {
		return gone, err
	}
	if err := s.keepDays(ctx, kept, now); err != nil {
		return gone, err
	}
	if err := s.dropMonths(ctx, kept, now, gone); err != nil {
		return gone, err
	}
	for _, p := range prunes(kept) {
		for {
			n, err := s.deleted(ctx, p.sql, pruneBatch, now.Add(-p.older))
			if err != nil {
				return gone, err
			}
			gone[p.what] += n
			if n < pruneBatch {
				break
			}
		}
	}
	return gone, s.dropUnused(ctx, now, gone)
}

// deleted runs a statement that deletes, in a transaction of its own, and gives the number of records.
func (s *Store) deleted(ctx context.Context, sql string, args ...any) (n int64, err error) {
	err = s.InTx(ctx, func(tx Tx) error {
		result, err := tx.db.Statement.ConnPool.ExecContext(ctx, sql, args...)
		if err != nil {
			return err
		}
		n, err = result.RowsAffected()
		return err
	})
	return n, err
}

// dropUnused deletes what devices are told and why, where no device was for a day. What is met again is kept by that, see
// [Tx.PutScope].
func (s *Store) dropUnused(ctx context.Context, now time.Time, gone map[string]int64) error {
	unused := now.Add(-24 * time.Hour)
	for table, using := range map[string]string{"scopes": "scope", "settings": "settings"} {
		column := map[string]string{"scopes": "scope", "settings": "settings_digest"}[table]
		digests, err := rows[string](s.With(ctx), "select digest from "+table+" s where s.created_at < ? and not exists (select from devices d where d."+
			column+" = s.digest) and not exists (select from desired_states x where x."+using+" = s.digest)", unused)
		if err != nil {
			return err
		}
		for batch := range slices.Chunk(digests, pruneBatch) {
			n, err := s.deleted(ctx, "delete from "+table+" where digest = any($1::text[]) and created_at < $2", batch, unused)
			if err != nil {
				return err
			}
			gone[table] += n
		}
	}
	return nil
}
