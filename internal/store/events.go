package store

import (
	"time"

	"gorm.io/gorm/clause"
)

// DeviceEvent is something that a device says happened on it.
type DeviceEvent struct {
	ID         int64
	DeviceID   string
	Device     string `gorm:"->;-:migration"` // its name, read only
	Epoch      int64
	Seq        int64
	At         time.Time
	ReceivedAt time.Time
	Kind       string
	Unit       string
	Subject    string
	Before     string
	After      string
}

// AddEvents stores events; those that are there already stay as they are.
func (t Tx) AddEvents(events []DeviceEvent) error {
	return translate(t.db.Omit("Device").Clauses(clause.OnConflict{DoNothing: true}).Create(&events).Error)
}

// EventFilter narrows a list of events. Empty fields do not.
type EventFilter struct {
	Device string // identifier
	Kind   string
	Group  string
}

// ListEvents lists a page, latest first.
func (t Tx) ListEvents(f EventFilter, p Page) ([]DeviceEvent, string, error) {
	after := int64(1) << 62
	if err := p.after(&after); err != nil {
		return nil, "", err
	}
	sql, args := "e.id < ?", []any{after}
	if f.Device != "" {
		sql, args = sql+" and e.device_id = ?", append(args, f.Device)
	}
	if f.Kind != "" {
		sql, args = sql+" and e.kind = ?", append(args, f.Kind)
	}
	if f.Group != "" && f.Group != "everything" {
		sql += " and d.name_key in (select m.device from group_members m join groups g on g.id = m.group_id where g.name = ? and m.certain)"
		args = append(args, f.Group)
	}
	list, err := rows[DeviceEvent](t, "select e.*, d.name as device from device_events e join devices d on d.id = e.device_id where "+sql+
		" order by e.id desc limit ?", append(args, p.limit()+1)...)
	list, next := cut(p, list, func(e DeviceEvent) []any { return []any{e.ID} })
	return list, next, err
}
