package store

import (
	"slices"
	"time"

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

// repeatedWithin is how much earlier than it says of itself an event may have been stored, at most: the clock of its
// device may have been ahead.
const repeatedWithin = 31 * 24 * time.Hour

// AddEvents stores events of one epoch of a device; those that are there already, in this month or an earlier one, stay
// as they are.
func (t DevicesWriter) AddEvents(events []DeviceEvent) error {
	n := len(events)
	if n == 0 {
		return nil
	}
	earliest := slices.MinFunc(events, func(x, y DeviceEvent) int { return x.At.Compare(y.At) }).At
	seqs, made, received := make([]int64, n), make([]time.Time, n), make([]time.Time, n)
	kinds, units, subjects := make([]string, n), make([]string, n), make([]string, n)
	details, policies := make([]string, n), make([]string, n)
	for i, e := range events {
		seqs[i], made[i], received[i], kinds[i], units[i], subjects[i] = e.Seq, e.At, e.ReceivedAt, e.Kind, e.Unit,
			e.Subject
		details[i], policies[i] = toJSON(e.Details), e.Policy
	}
	return t.exec(`insert into device_events (device_id, epoch, seq, at, received_at, kind, unit, subject, details,
		policy)
		select $1, $2, seq, at, received_at, kind, unit, subject, details::jsonb, policy
		from unnest($3::bigint[], $4::timestamptz[], $5::timestamptz[], $6::text[], $7::text[], $8::text[], $9::text[],
		$10::text[])
			as e(seq, at, received_at, kind, unit, subject, details, policy)
		where not exists (select from device_events x where x.device_id = $1 and x.epoch = $2 and x.seq = e.seq
		and x.received_at >= $11)
		order by seq on conflict do nothing`,
		events[0].DeviceID, events[0].Epoch, seqs, made, received, kinds, units, subjects, details, policies,
		earliest.Add(-repeatedWithin))
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
func (t DevicesReader) ListEvents(f EventFilter, p Page) ([]DeviceEvent, string, error) {
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
