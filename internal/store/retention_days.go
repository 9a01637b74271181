package store

import (
	"time"
)

// Day is a day (UTC).
const Day = 24 * time.Hour

// KeepDay copies the last report of a day (UTC) of each device to where such are kept for longer; without all, only
// what devices report now. That the day is done is noted with it, so that each report is read once.
func (t RetentionWriter) KeepDay(from time.Time, all bool) error {
	if err := t.takesItsTime(); err != nil {
		return err
	}
	if err := t.exec(`with last as (select distinct on (device_id) * from device_reports
			where received_at >= $1 and received_at < $2 order by device_id, id desc),
		said as (select l.id, l.device_id, l.epoch, l.seq, l.desired_epoch, l.desired_number, l.at, l.received_at,
		l.digest,
				x.body, coalesce(l.body_digest, sha256(convert_to(l.device_id || E'\n' || x.body::text,
				'UTF8'))) as body_digest
			from last l left join report_bodies b on b.digest = l.body_digest and b.month = $4::date
			cross join lateral (select coalesce(b.body, l.body - 'seq' - 'at') as body) x
			where x.body is not null and ($3 or exists (select from devices d where d.report_id = l.id))),
		bodies as (insert into daily_bodies (month, digest, device_id, body)
			select $4::date, body_digest, device_id, body from said on conflict do nothing)
		insert into daily_reports (id, device_id, epoch, seq, desired_epoch, desired_number, at, received_at, digest,
		body_digest)
			select id, device_id, epoch, seq, desired_epoch, desired_number, at, received_at, digest, body_digest
			from said
			on conflict do nothing`, from, from.Add(Day), all,
		dayOf(from.AddDate(0, 0, 1-from.Day()))); err != nil {
		return err
	}
	return t.exec("insert into retention (what, done_to) values ('daily reports', $1) on conflict (what) do update "+
		"set done_to = excluded.done_to",
		from.Add(Day))
}

// DayToKeep is the first day before one that has reports and was not copied; that one itself where there is none.
func (t RetentionReader) DayToKeep(until time.Time) (time.Time, error) {
	first, err := rows[time.Time](t, `select received_at from device_reports where received_at < $1 and received_at >=
		coalesce((select done_to from retention where what = 'daily reports'), '-infinity'::timestamptz)
		order by received_at limit 1`, until)
	if err != nil || len(first) == 0 {
		return until, err
	}
	return first[0].UTC().Truncate(Day), nil
}
