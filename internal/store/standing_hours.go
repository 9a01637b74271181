package store

import "time"

// StandingHour is how the devices of a group stood in an hour, the last time that it was looked at.
type StandingHour struct {
	GroupName string    `gorm:"primaryKey"` // empty for the fleet
	Hour      time.Time `gorm:"primaryKey"`
	InStep    int
	Drifted   int
	Waiting   int
	Held      int
	Silent    int
}

// PutStandingHours stores how groups stand in an hour, over what was stored of the same hour.
func (t FindingsWriter) PutStandingHours(list []StandingHour) error {
	var names []string
	var hours []time.Time
	var counts [5][]int
	for _, h := range list {
		names, hours = append(names, h.GroupName), append(hours, h.Hour)
		for i, n := range []int{h.InStep, h.Drifted, h.Waiting, h.Held, h.Silent} {
			counts[i] = append(counts[i], n)
		}
	}
	return t.exec(`insert into standing_hours
		select * from unnest($1::text[], $2::timestamptz[], $3::int[], $4::int[], $5::int[], $6::int[], $7::int[])
		on conflict (group_name, hour) do update set in_step = excluded.in_step, drifted = excluded.drifted,
		waiting = excluded.waiting, held = excluded.held, silent = excluded.silent`,
		names, hours, counts[0], counts[1], counts[2], counts[3], counts[4])
}

// StandingHours are those of a group from a time on, in order.
func (t FindingsReader) StandingHours(group string, since time.Time) ([]StandingHour, error) {
	return all[StandingHour](t.db.Where("group_name = ? and hour >= ?", group, since).Order("hour"))
}

// DropStandingHours forgets those before a time.
func (t FindingsWriter) DropStandingHours(before time.Time) error {
	return t.exec("delete from standing_hours where hour < $1", before)
}
