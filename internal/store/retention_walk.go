package store

import (
	"context"
	"slices"
	"time"
)

// What stays between what goes is read once: these walk through a table in the order of time, note how far they came, and
// delete by key. A statement that looks for the next batch from the beginning would read all that stays again for each batch.

// thinReports keeps the last report of each day (UTC) of the days that are over, and what devices report now.
func (s *Store) thinReports(ctx context.Context, kept RetentionPeriods, now time.Time, gone map[string]int64) error {
	const day = 24 * time.Hour
	until := now.Add(-kept.Reports).UTC().Truncate(day) // a day is thinned once all of it is old
	for {
		from, err := s.thinnedTo(ctx, until)
		if err != nil || !from.Before(until) {
			return err
		}
		ids, err := rows[int64](s.With(ctx), `select r.id from (select id, row_number() over (partition by device_id order by id desc) as n
			from reports where received_at >= ? and received_at < ?) r where r.n > 1
			and not exists (select from devices d where d.report_id = r.id)`, from, from.Add(day))
		if err != nil {
			return err
		}
		if err := s.deleteReports(ctx, ids, "reports", gone); err != nil {
			return err
		}
		if err := s.InTx(ctx, func(tx Tx) error {
			return tx.exec("insert into retention (what, done_to) values ('reports', $1) on conflict (what) do update set done_to = excluded.done_to",
				from.Add(day))
		}); err != nil {
			return err
		}
	}
}

// thinnedTo is the first day that is not thinned and has reports.
func (s *Store) thinnedTo(ctx context.Context, until time.Time) (time.Time, error) {
	first, err := rows[time.Time](s.With(ctx), `select received_at from reports where received_at >=
		coalesce((select done_to from retention where what = 'reports'), '-infinity'::timestamptz) order by received_at limit 1`)
	if err != nil || len(first) == 0 {
		return until, err
	}
	return first[0].UTC().Truncate(24 * time.Hour), nil
}

// dropReports deletes the reports of days that are too old, but for what devices report now.
func (s *Store) dropReports(ctx context.Context, kept RetentionPeriods, now time.Time, gone map[string]int64) error {
	type place struct {
		ID int64
		At time.Time
		Go bool
	}
	last := place{At: time.Time{}}
	for {
		found, err := rows[place](s.With(ctx), `select r.id, r.received_at as at, not exists (select from devices d where d.id = r.device_id
			and d.report_id = r.id) as go from reports r where r.received_at < ? and (r.received_at, r.id) > (?, ?)
			order by r.received_at, r.id limit ?`, now.Add(-kept.DailyReports), last.At, last.ID, pruneBatch)
		if err != nil || len(found) == 0 {
			return err
		}
		var ids []int64
		for _, f := range found {
			if f.Go {
				ids = append(ids, f.ID)
			}
		}
		if err := s.deleteReports(ctx, ids, "reports of days", gone); err != nil {
			return err
		}
		last = found[len(found)-1]
	}
}

// deleteReports deletes reports by identifier, but for what a device has come to report meanwhile.
func (s *Store) deleteReports(ctx context.Context, ids []int64, what string, gone map[string]int64) error {
	for batch := range slices.Chunk(ids, pruneBatch) {
		n, err := s.deleted(ctx, "delete from reports r where id = any($1::bigint[]) and not exists (select from devices d where "+
			"d.id = r.device_id and d.report_id = r.id)", batch)
		if err != nil {
			return err
		}
		gone[what] += n
	}
	return nil
}

// dropDesiredStates deletes superseded desired states that are too old, but for those that devices have now.
func (s *Store) dropDesiredStates(ctx context.Context, kept RetentionPeriods, now time.Time, gone map[string]int64) error {
	type place struct {
		DeviceID      string
		Epoch, Number int64
		At            time.Time
	}
	last := place{}
	for {
		found, err := rows[place](s.With(ctx), `select device_id, epoch, number, created_at as at from desired_states
			where created_at < ? and (created_at, device_id, epoch, number) > (?, ?, ?, ?)
			order by created_at, device_id, epoch, number limit ?`,
			now.Add(-kept.DesiredStates), last.At, last.DeviceID, last.Epoch, last.Number, pruneBatch)
		if err != nil || len(found) == 0 {
			return err
		}
		devices, epochs, numbers := make([]string, len(found)), make([]int64, len(found)), make([]int64, len(found))
		for i, f := range found {
			devices[i], epochs[i], numbers[i] = f.DeviceID, f.Epoch, f.Number
		}
		n, err := s.deleted(ctx, `delete from desired_states s using unnest($1::text[], $2::bigint[], $3::bigint[]) as k(device_id, epoch, number),
			devices d where (s.device_id, s.epoch, s.number) = (k.device_id, k.epoch, k.number) and d.id = s.device_id
			and (s.epoch, s.number) <> (d.desired_epoch, d.desired_number) and (s.epoch, s.number) <> (d.reported_epoch, d.reported_number)`,
			devices, epochs, numbers)
		if err != nil {
			return err
		}
		gone["desired states"] += n
		last = found[len(found)-1]
	}
}

// dropUnused deletes what devices are told and why, where no device was for a day. What is met again is kept by that, see
// [Tx.PutScope].
func (s *Store) dropUnused(ctx context.Context, _ RetentionPeriods, now time.Time, gone map[string]int64) error {
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
