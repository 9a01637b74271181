package store

import (
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/wire/protocol"
)

// States of a waiver.
const (
	WaiverWaiting = "waiting" // for a second person
	WaiverActive  = "active"
	WaiverEnded   = "ended" // its day has come, or somebody ended or refused it
)

// Waiver is a difference of one device that is accepted until a day.
type Waiver struct {
	ID         string
	DeviceID   string
	Device     string `gorm:"->;-:migration"` // its name, read only
	Unit       string
	Subject    string
	Words      string // what the finding said
	State      string
	Reason     string
	Until      time.Time
	MadeBy     string
	MadeAt     time.Time
	ApprovedBy string // empty where nobody had to
	EndedBy    string // empty while it has not
	EndedAt    *time.Time
}

// AddWaivers adds some. The error matches [ErrExists] where one of the same thing has not ended.
func (t FindingsWriter) AddWaivers(list []Waiver) error {
	return translate(t.db.Omit("Device").Create(&list).Error)
}

// LockWaiver finds one, and keeps others from altering it until the transaction ends.
func (t FindingsWriter) LockWaiver(id string) (Waiver, error) {
	if err := t.exec("select 1 from waivers where id = $1 for update", id); err != nil {
		return Waiver{}, err
	}
	return first[Waiver](t.db.Omit("Device").Where("id = ?", id))
}

// SetWaiver alters one.
func (t FindingsWriter) SetWaiver(w Waiver) error {
	return translate(t.db.Model(&Waiver{}).Where("id = ?", w.ID).
		Select("state", "approved_by", "ended_by", "ended_at").Updates(w).Error)
}

// DueWaivers are those that have not ended and whose day has come, at most some.
func (t FindingsReader) DueWaivers(now time.Time, most int) ([]Waiver, error) {
	return all[Waiver](t.db.Omit("Device").Where("state <> 'ended' and until <= ?", now).Order("until").Limit(most))
}

// WaiverFilter narrows a list of waivers. Empty fields do not.
type WaiverFilter struct {
	Reach  rights.Reach
	State  string
	Device string    // identifier
	Before time.Time // only those that end before
}

// ListWaivers lists a page, the latest first.
func (t FindingsReader) ListWaivers(f WaiverFilter, p Page) ([]Waiver, string, error) {
	before := "~" // after every identifier
	if err := p.after(&before); err != nil {
		return nil, "", err
	}
	where, args := "x.id < ?", []any{before}
	if f.State != "" {
		where, args = where+" and x.state = ?", append(args, f.State)
	}
	if f.Device != "" {
		where, args = where+" and x.device_id = ?", append(args, f.Device)
	}
	if !f.Before.IsZero() {
		where, args = where+" and x.state <> 'ended' and x.until < ?", append(args, f.Before)
	}
	reach, reachArgs := inReach(f.Reach)
	args = append(append(args, reachArgs...), p.limit()+1)
	list, err := rows[Waiver](
		t,
		"select x.*, d.name as device from waivers x join devices d on d.id = x.device_id where "+
			where+" and "+reach+" order by x.id desc limit ?",
		args...)
	list, next := cut(p, list, func(w Waiver) []any { return []any{w.ID} })
	return list, next, err
}

// WaivedOf is what devices leave alone, by device.
func (t FindingsReader) WaivedOf(devices []string) (map[string][]protocol.Waived, error) {
	list, err := all[Waiver](
		t.db.Omit("Device").Where("state = 'active' and device_id = any(?)", array[string](devices)).
			Order("device_id, unit, subject"),
	)
	waived := map[string][]protocol.Waived{}
	for _, w := range list {
		id, wrong := unit.Parse(w.Unit)
		if wrong != nil {
			continue // of a unit that is not known any more
		}
		waived[w.DeviceID] = append(
			waived[w.DeviceID],
			protocol.Waived{Unit: id, Subject: w.Subject, Until: w.Until.UTC()},
		)
	}
	return waived, err
}

// Waive has the findings of a device about one thing be waived, or be open again, and counts its open ones again.
func (t FindingsWriter) Waive(device, unitName, subject string, waived bool) error {
	from, to := FindingOpen, FindingWaived
	if !waived {
		from, to = to, from
	}
	if err := t.exec(
		"update findings set state = $5 where device_id = $1 and unit = $2 and subject = $3 and closed_at is null "+
			"and state = $4",
		device, unitName, subject, from, to,
	); err != nil {
		return err
	}
	open, err := rows[struct{ Kind, Actual string }](t, `select kind, coalesce(actual #>> '{}', '') as actual
		from findings where device_id = $1 and closed_at is null and state = $2`, device, FindingOpen)
	if err != nil {
		return err
	}
	drifting := 0
	for _, f := range open {
		if (drift.Finding{Kind: drift.Kind(f.Kind), Actual: f.Actual}).Drifts() {
			drifting++
		}
	}
	return t.exec("update devices set changed_at = now(), open_findings = $2 where id = $1", device, drifting)
}

// FindingsWith are findings by identifier, with the names of their devices.
func (t FindingsReader) FindingsWith(ids []int64) ([]Finding, error) {
	return rows[Finding](t, "select x.*, d.name as device from findings x join devices d on d.id = x.device_id "+
		"where x.id = any($1) order by x.id", ids)
}
