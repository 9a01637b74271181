package store

import (
	"time"
)

// States of a finding.
const (
	FindingOpen      = "open"
	FindingWaived    = "waived"    // accepted until a day
	FindingClosed    = "closed"    // gone from a later report
	FindingCorrected = "corrected" // the device found it and put it right by itself
)

// Finding is a stored finding. Expected and Actual are JSON, nil where there is none.
type Finding struct {
	ID          int64
	DeviceID    string
	Device      string `gorm:"->;-:migration"` // its name, read only
	Key         string
	Unit        string
	Kind        string
	Subject     string
	Expected    *string
	Actual      *string
	Via         string   // by what it is so, empty where nothing is said
	Assignments []string `gorm:"serializer:json"` // whose rule it breaks
	State       string
	FirstSeen   time.Time
	LastSeen    time.Time
	ClosedAt    *time.Time
	Earlier     Earlier `gorm:"-"` // filled by [Tx.CameBack]
}

// Earlier says of a finding how often the same difference was found on the device before, and was closed.
type Earlier struct {
	Times  int
	Closed *time.Time // the last time
	State  string     // that it was closed with then, empty for none
}

// OpenFindings are those of a device, also waived ones.
func (t FindingsReader) OpenFindings(device string) ([]Finding, error) {
	// The condition is that of the index which finds them, and of no other.
	return all[Finding](
		t.db.Omit("Device").Where("device_id = ? and closed_at is null", device).Order("unit, kind, subject"),
	)
}

// AddFindings stores new ones.
func (t FindingsWriter) AddFindings(list []Finding) error {
	if len(list) == 0 {
		return nil
	}
	return translate(t.db.Omit("Device").Create(&list).Error)
}

// FindingFilter narrows a list of findings. Empty fields do not.
type FindingFilter struct {
	Narrow
	State      string // one of the states, any when empty
	Unit       string
	Kind       string
	Not        string // a kind that is left out
	Assignment string // that decided the setting
}

// where is the condition on findings x. States are written out, so that partial indexes fit.
func (f FindingFilter) where() (string, []any) {
	sql, args := "true", []any{}
	switch f.State {
	case FindingOpen, FindingWaived, FindingClosed, FindingCorrected:
		sql = "x.state = '" + f.State + "'"
	}
	if f.Unit != "" {
		sql, args = sql+" and x.unit = ?", append(args, f.Unit)
	}
	if f.Kind != "" {
		sql, args = sql+" and x.kind = ?", append(args, f.Kind)
	}
	if f.Not != "" {
		sql, args = sql+" and x.kind <> ?", append(args, f.Not)
	}
	if f.Assignment != "" {
		sql, args = sql+" and jsonb_exists(x.assignments, ?)", append(args, f.Assignment)
	}
	return sql, args
}

// ListFindings lists a page, newest first.
func (t FindingsReader) ListFindings(f FindingFilter, p Page) ([]Finding, string, error) {
	before := int64(1) << 62
	if err := p.after(&before); err != nil {
		return nil, "", err
	}
	where, args := f.where()
	list, err := latest[Finding](t, record{"findings", "first_seen", "x.*"}, f.Narrow, where, args, before, p.limit()+1)
	list, next := cut(p, list, func(x Finding) []any { return []any{x.ID} })
	return list, next, err
}

// CameBack fills in what was found before of the same differences.
func (t FindingsReader) CameBack(list []Finding) error {
	ids := make([]int64, len(list))
	for i, f := range list {
		ids[i] = f.ID
	}
	type earlier struct {
		ID int64
		Earlier
	}
	found, err := rows[earlier](
		t,
		`select f.id, x.times, x.closed, coalesce(x.state, '') as state from findings f cross
			join lateral (select count(*) as
		times, max(x.closed_at) as closed, (array_agg(x.state order by x.id desc))[1] as state from findings x
		where x.device_id = f.device_id and x.id < f.id and x.key = f.key) x where f.id = any($1)`,
		ids,
	)
	known := make(map[int64]Earlier, len(found))
	for _, e := range found {
		known[e.ID] = e.Earlier
	}
	for i := range list {
		list[i].Earlier = known[list[i].ID]
	}
	return err
}

// Takes reports whether a filter takes an open finding, whatever its device is.
func (f FindingFilter) Takes(x *ViewFinding) bool {
	return (f.Unit == "" || x.Unit == f.Unit) && (f.Kind == "" || x.Kind == f.Kind) &&
		(f.Not == "" || x.Kind != f.Not) &&
		(f.Assignment == "" || x.DecidedBy(f.Assignment)) &&
		(f.Since.IsZero() || !x.FirstSeen.Before(f.Since)) &&
		(f.Until.IsZero() || x.FirstSeen.Before(f.Until))
}

// FindingsByID lists a page, newest first; which gives at most so many of the findings'
// identifiers, from before one.
func (t FindingsReader) FindingsByID(which func(before int64, most int) []int64, p Page) ([]Finding, string, error) {
	before := int64(1) << 62
	if err := p.after(&before); err != nil {
		return nil, "", err
	}
	list, err := rows[Finding](
		t,
		"select x.*, d.name as device from findings x join devices d on d.id = x.device_id where x.id = any($1) "+
			"order by x.id desc",
		which(before, p.limit()+1),
	)
	if err != nil {
		return nil, "", err
	}
	list, next := cut(p, list, func(x Finding) []any { return []any{x.ID} })
	return list, next, nil
}

// FindingSum is the number of findings, and of devices, of one unit and kind.
type FindingSum struct {
	Unit     string
	Kind     string
	Findings int
	Devices  int
	Oldest   time.Time
}

// SumClosedFindings sums up findings that were closed since a time by unit and kind, most devices first.
func (t FindingsReader) SumClosedFindings(f FindingFilter, since time.Time) ([]FindingSum, error) {
	where, args := f.where()
	reach, reachArgs := inReach(f.Reach)
	group, groupArgs := inGroup(f.Group)
	args = append(append(append(args, since), reachArgs...), groupArgs...)
	return rows[FindingSum](
		t,
		`select x.unit, x.kind, count(*) as findings, count(distinct x.device_id) as devices,
			min(x.first_seen) as oldest
		from findings x join devices d on d.id = x.device_id where `+where+
			" and x.closed_at >= ? and d.state = 'live' and "+reach+" and "+group+
			" group by 1, 2 order by 4 desc, 1, 2",
		args...)
}
