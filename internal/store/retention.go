package store

import (
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
	Inventories   time.Duration // changes of inventories
}

// RetentionBatch is the most records that are deleted in one statement.
const RetentionBatch = 5000

// Kept is one kind of record, and how old it gets.
type Kept struct {
	What  string
	sql   string // deletes at most $1 records that are older than $2
	Older time.Duration
}

// Records are the kinds of record that are deleted one by one. It is long because it is a list.
func (k RetentionPeriods) Records() []Kept {
	return []Kept{
		// Of the months; what is older than that was there before there were months, and goes bit by bit.
		{
			"device events",
			`delete from device_events where received_at < date_trunc('month', $2::timestamptz, 'UTC')
				and id = any(array(select id
				from device_events where received_at < date_trunc('month', $2::timestamptz, 'UTC') order by received_at
				limit $1))`,
			k.Events,
		},
		{
			"findings",
			`delete from findings where closed_at < date_trunc('month', $2::timestamptz, 'UTC')
				and id = any(array(select id
				from findings where closed_at < date_trunc('month', $2::timestamptz, 'UTC') order by closed_at
				limit $1))`,
			k.Findings,
		},
		{
			"changes of inventories",
			`delete from inventory_changes where id = any(array(select id from inventory_changes where at < $2
				order by at limit $1))`,
			k.Inventories,
		},
		{
			"orders",
			`delete from orders where id = any(array(select id from orders where created_at < $2
				and (state not in ('queued',
				'delivered') or ends_at < $2) order by created_at limit $1))`,
			k.Orders,
		},
		{
			"devices of rollouts",
			`delete from rollout_devices where (rollout_id, device_id) in (select d.rollout_id, d.device_id
				from rollouts r
				join rollout_devices d on d.rollout_id = r.id where r.ended_at < $2 limit $1)`,
			k.Findings,
		},
		{
			"rollouts",
			"delete from rollouts where id = any(array(select id from rollouts where ended_at < $2 order by ended_at " +
				"limit $1))",
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
			"delete from waivers where id = any(array(select id from waivers where ended_at < $2 order by ended_at " +
				"limit $1))",
			k.Findings,
		},
		{
			"warrants",
			"delete from warrants where id = any(array(select id from warrants where ended_at < $2 order by ended_at " +
				"limit $1))",
			k.Changes,
		},
		{
			"sealed sheets",
			"delete from sheets where id = any(array(select id from sheets where ends_at < $2 order by ends_at " +
				"limit $1))",
			k.Changes,
		},
		{
			"edits that the brake held",
			"delete from brakes where id = any(array(select id from brakes where decided_at < $2 order by decided_at " +
				"limit $1))",
			k.Changes,
		},
		{
			"notifications",
			"delete from notifications where id = any(array(select id from notifications where at < $2 order by at " +
				"limit $1))",
			k.Notifications,
		},
		{
			"sign-in failures",
			"delete from sign_in_failures where subject = any(array(select subject from sign_in_failures " +
				"where last_at < $2 and blocked_to < $2 order by last_at limit $1))",
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
		{
			"passwords of retired devices",
			`delete from deposits where (device_id, epoch, number) in (select x.device_id, x.epoch, x.number
				from retirements t join devices d on d.id = t.device_id and d.state = 'retired'
				join deposits x on x.device_id = t.device_id where t.passwords_until < $2 limit $1)`,
			0,
		},
	}
}

// DeleteOld deletes records of a kind that are older than it gets, at most [RetentionBatch] of them, and gives their
// number.
func (t RetentionWriter) DeleteOld(k Kept, now time.Time) (int64, error) {
	return t.affected(k.sql, RetentionBatch, now.Add(-k.Older))
}

// Unused is what devices are told, or why, kept once for all devices that have it.
type Unused struct{ Table, device, state string } // with the columns that name it

// UnusedTables are those that hold such.
var UnusedTables = []Unused{{"scopes", "scope", "scope"}, {"settings", "settings_digest", "settings"}}

// UnusedDigests are the digests of what was made before a time and no device has or had.
func (t RetentionReader) UnusedDigests(u Unused, before time.Time) ([]string, error) {
	return rows[string](t, "select digest from "+u.Table+
		" s where s.created_at < $1 and not exists (select from devices d where d."+
		u.device+" = s.digest) and not exists (select from desired_states x where x."+u.state+" = s.digest)", before)
}

// DeleteUnused deletes those that were not met again since, see [DeployWriter.PutScope].
func (t RetentionWriter) DeleteUnused(u Unused, digests []string, before time.Time) (int64, error) {
	return t.affected("delete from "+u.Table+" where digest = any($1::text[]) and created_at < $2", digests, before)
}

// affected runs a statement, and gives the number of records that it touched.
func (t conn) affected(sql string, args ...any) (int64, error) {
	result, err := t.db.Statement.ConnPool.ExecContext(t.db.Statement.Context, sql, args...)
	if err != nil {
		return 0, translate(err)
	}
	return result.RowsAffected()
}
