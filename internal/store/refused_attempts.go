package store

import "time"

// RefusedAttempts are those of one person or device within one minute, beyond the ones that are told one by one.
type RefusedAttempts struct {
	Minute   time.Time
	Actor    string
	Attempts int
	Actions  map[string]int `gorm:"serializer:json"` // how many of each
}

// Attempted is what one person or device tried within a minute.
type Attempted struct {
	Minute        time.Time
	Actor, Action string
}

// CountRefused adds refused attempts.
func (t TrailWriter) CountRefused(counts map[Attempted]int) error {
	for what, n := range counts {
		if err := t.exec(`insert into refused_attempts (minute, actor, action, count) values ($1, $2, $3, $4)
			on conflict (minute, actor, action) do update set count = refused_attempts.count + excluded.count`,
			what.Minute, what.Actor, what.Action, n); err != nil {
			return err
		}
	}
	return nil
}

// TakeRefused removes the sums of minutes before a time, and gives them.
func (t TrailWriter) TakeRefused(before time.Time) ([]RefusedAttempts, error) {
	return rows[RefusedAttempts](t, `with gone as (delete from refused_attempts where minute < $1 returning *)
		select minute, actor, sum(count) as attempts, jsonb_object_agg(action, count) as actions
		from gone group by 1, 2 order by 1, 2`, before)
}
