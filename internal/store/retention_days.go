package store

import (
	"context"
	"time"
)

// keepDays copies the last report of each day (UTC) of each device to where such are kept for longer, for the days that are
// over and about to go. Each report is read once: days are noted as they are done, and the next turn goes on from there.
func (s *Store) keepDays(ctx context.Context, kept RetentionPeriods, now time.Time) error {
	const day = 24 * time.Hour
	until := now.Add(-kept.Reports).UTC().Truncate(day)
	for {
		from, err := s.keptDaysTo(ctx, until)
		if err != nil || !from.Before(until) {
			return err
		}
		// Of what is too old for that too, only what devices report now.
		all := !from.Before(now.Add(-kept.DailyReports))
		err = s.InTx(ctx, func(tx Tx) error {
			if err := tx.takesItsTime(); err != nil {
				return err
			}
			if err := tx.exec(`with last as (select distinct on (device_id) * from device_reports
					where received_at >= $1 and received_at < $2 order by device_id, id desc),
				said as (select l.id, l.device_id, l.epoch, l.seq, l.desired_epoch, l.desired_number, l.at, l.received_at, l.digest,
						x.body, coalesce(l.body_digest, sha256(convert_to(l.device_id || E'\n' || x.body::text, 'UTF8'))) as body_digest
					from last l left join report_bodies b on b.digest = l.body_digest and b.month = $4::date
					cross join lateral (select coalesce(b.body, l.body - 'seq' - 'at') as body) x
					where x.body is not null and ($3 or exists (select from devices d where d.report_id = l.id))),
				bodies as (insert into daily_bodies (month, digest, device_id, body)
					select $4::date, body_digest, device_id, body from said on conflict do nothing)
				insert into daily_reports (id, device_id, epoch, seq, desired_epoch, desired_number, at, received_at, digest, body_digest)
					select id, device_id, epoch, seq, desired_epoch, desired_number, at, received_at, digest, body_digest from said
					on conflict do nothing`, from, from.Add(day), all,
				dayOf(from.AddDate(0, 0, 1-from.Day()))); err != nil {
				return err
			}
			return tx.exec("insert into retention (what, done_to) values ('daily reports', $1) on conflict (what) do update set done_to = excluded.done_to",
				from.Add(day))
		})
		if err != nil {
			return err
		}
	}
}

// keptDaysTo is the first day before one that has reports and is not done.
func (s *Store) keptDaysTo(ctx context.Context, until time.Time) (time.Time, error) {
	first, err := rows[time.Time](s.With(ctx), `select received_at from device_reports where received_at < ? and received_at >=
		coalesce((select done_to from retention where what = 'daily reports'), '-infinity'::timestamptz) order by received_at limit 1`, until)
	if err != nil || len(first) == 0 {
		return until, err
	}
	return first[0].UTC().Truncate(24 * time.Hour), nil
}
