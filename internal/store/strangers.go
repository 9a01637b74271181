package store

import "time"

// StrangerAttempts are refused attempts of people who were not signed in, within one minute.
type StrangerAttempts struct {
	Minute    time.Time
	Action    string
	Attempts  int
	Addresses []string `gorm:"serializer:json"` // some of them
	Names     []string `gorm:"serializer:json"` // some of those that were given
}

// mostStrangers is how many addresses and names of a minute are told apart.
const mostStrangers = 200

// CountStranger counts one refused attempt. Beyond some addresses and names in a minute they are counted
// together, so that nobody fills the database.
func (t TrailWriter) CountStranger(minute time.Time, action, address, name string) error {
	return t.exec(`with told as (select count(*) < $5 as apart from stranger_attempts where minute = $1 and action = $2)
		insert into stranger_attempts (minute, action, address, name, count)
		select $1, $2, case when apart then $3 else '' end, case when apart then $4 else '' end, 1 from told
		on conflict (minute, action, address, name) do update set count = stranger_attempts.count + 1`, minute, action,
		address, name, mostStrangers)
}

// TakeStrangers removes the sums of minutes before a time, and gives them.
func (t TrailWriter) TakeStrangers(before time.Time) ([]StrangerAttempts, error) {
	return rows[StrangerAttempts](t, `with gone as (delete from stranger_attempts where minute < $1 returning *)
		select minute, action, sum(count) as attempts,
			coalesce(to_jsonb((array_agg(distinct address) filter (where address <> ''))[:20]), '[]') as addresses,
			coalesce(to_jsonb((array_agg(distinct name) filter (where name <> ''))[:20]), '[]') as names
		from gone group by 1, 2 order by 1, 2`, before)
}
