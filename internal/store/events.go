package store

import (
	"time"

	"gorm.io/gorm/clause"

	"rankwarden.example/core/drift"
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
	Details    drift.Details `gorm:"serializer:json"`
	Policy     string        // whose rule it follows, with the revision; empty for none
}

// AddEvents stores events; those that are there already stay as they are.
func (t Tx) AddEvents(events []DeviceEvent) error {
	return translate(t.db.Omit("Device").Clauses(clause.OnConflict{DoNothing: true}).Create(&events).Error)
}

// EventFilter narrows a list of events. Empty fields do not.
type EventFilter struct {
	Narrow
	Kind   string
	Around string // a unit: what happened to it, and who was at the device
}

// atTheDevice are the events that say that somebody was there.
var atTheDevice = []drift.EventKind{
	drift.AccountUsed,
	drift.SessionsEnded,
	drift.AccountUnlocked,
	drift.PasswordForeign,
}

// ListEvents lists a page, latest first.
func (t Tx) ListEvents(f EventFilter, p Page) ([]DeviceEvent, string, error) {
	before := int64(1) << 62
	if err := p.after(&before); err != nil {
		return nil, "", err
	}
	where, args := "true", []any{}
	if f.Kind != "" {
		where, args = "x.kind = ?", []any{f.Kind}
	}
	if f.Around != "" {
		where += " and (x.unit = ? or x.kind = any(?))"
		args = append(args, f.Around, array[drift.EventKind](atTheDevice))
	}
	list, err := latest[DeviceEvent](
		t,
		record{"device_events", "received_at", "x.*"},
		f.Narrow,
		where,
		args,
		before,
		p.limit()+1,
	)
	list, next := cut(p, list, func(e DeviceEvent) []any { return []any{e.ID} })
	return list, next, err
}
