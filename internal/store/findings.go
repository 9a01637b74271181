package store

import (
	"time"
)

// States of a finding.
const (
	FindingOpen     = "open"
	FindingSettled  = "settled"   // gone from a later report
	FindingPutRight = "put_right" // the device found it and put it right by itself
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
	Assignments []string `gorm:"serializer:json"` // whose rule it breaks
	State       string
	FirstSeen   time.Time
	LastSeen    time.Time
	ClosedAt    *time.Time
}

// OpenFindings are those of a device.
func (t Tx) OpenFindings(device string) ([]Finding, error) {
	return all[Finding](t.db.Omit("Device").Where("device_id = ? and state = 'open'", device).Order("unit, kind, subject"))
}

// AddFindings stores new ones.
func (t Tx) AddFindings(list []Finding) error {
	if len(list) == 0 {
		return nil
	}
	return translate(t.db.Omit("Device").Create(&list).Error)
}

// SeenAgain notes that an open finding was seen again, with its present value.
func (t Tx) SeenAgain(id int64, actual *string, assignments []string, at time.Time) error {
	return t.exec("update findings set last_seen = $2, actual = $3::jsonb, assignments = $4::jsonb where id = $1", id, at, actual, toJSON(assignments))
}

// CloseFindings settles findings that a report no longer shows.
func (t Tx) CloseFindings(ids []int64, at time.Time) error {
	return t.exec("update findings set state = 'settled', closed_at = $2 where id = any($1::bigint[])", ids, at)
}

// FindingFilter narrows a list of findings. Empty fields do not.
type FindingFilter struct {
	State  string
	Unit   string
	Kind   string
	Group  string
	Device string // identifier
}

func (f FindingFilter) where() (string, []any) {
	sql, args := "d.state = 'live'", []any{}
	for column, value := range map[string]string{"f.state": f.State, "f.unit": f.Unit, "f.kind": f.Kind, "f.device_id": f.Device} {
		if value != "" {
			sql += " and " + column + " = ?"
			args = append(args, value)
		}
	}
	if f.Group != "" && f.Group != "everything" {
		sql += " and d.name_key in (select m.device from group_members m join groups g on g.id = m.group_id where g.name = ? and m.certain)"
		args = append(args, f.Group)
	}
	return sql, args
}

// ListFindings lists a page, newest first.
func (t Tx) ListFindings(f FindingFilter, p Page) ([]Finding, string, error) {
	after := int64(1) << 62
	if err := p.after(&after); err != nil {
		return nil, "", err
	}
	where, args := f.where()
	list, err := rows[Finding](t, "select f.*, d.name as device from findings f join devices d on d.id = f.device_id where "+where+
		" and f.id < ? order by f.id desc limit ?", append(args, after, p.limit()+1)...)
	list, next := cut(p, list, func(x Finding) []any { return []any{x.ID} })
	return list, next, err
}

// FindingSum is the number of findings, and of devices, of one unit and kind.
type FindingSum struct {
	Unit     string
	Kind     string
	Findings int
	Devices  int
	Oldest   time.Time
}

// SumFindings sums them up by unit and kind, most devices first.
func (t Tx) SumFindings(f FindingFilter) ([]FindingSum, error) {
	where, args := f.where()
	return rows[FindingSum](t, `select f.unit, f.kind, count(*) as findings, count(distinct f.device_id) as devices, min(f.first_seen) as oldest
		from findings f join devices d on d.id = f.device_id where `+where+" group by 1, 2 order by 4 desc, 1, 2", args...)
}
