package store

import (
	"encoding/base64"
	"encoding/json"
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
)

// Rotation is one password that is or was changed on a device. Names and standing of the device are
// read only.
type Rotation struct {
	DeviceID string
	Device   string
	Serial   string
	StandingColumns
	Standing     drift.Standing `gorm:"-"` // worked out when it is read
	Target       string
	Account      string
	Name         string
	ChangedAt    *time.Time
	NextAt       *time.Time
	EveryMinutes *int
	Pending      int
	ShownAt      *time.Time
	ShownBy      string
	Disabled     bool // the account, as the device said last
}

const rotationColumns = standsColumns + `, r.device_id, d.name as device, d.serial, r.target, r.account, r.name, r.changed_at, r.next_at,
	r.every_minutes, r.pending, r.shown_at, r.shown_by, exists (select 1 from inventory_accounts i
		where i.device_id = r.device_id and i.sid = r.account and not i.enabled) as disabled`

// RotationsOf are the passwords of a device, by target.
func (t PasswordsReader) RotationsOf(clock Clock, device string) ([]Rotation, error) {
	return t.rotations(
		clock,
		"from rotations r join devices d on d.id = r.device_id where r.device_id = ? order by r.target",
		device,
	)
}

// rotations reads passwords r of devices d.
func (t PasswordsReader) rotations(clock Clock, from string, args ...any) ([]Rotation, error) {
	found, err := rows[Rotation](t, "select "+rotationColumns+" "+from, args...)
	for i, r := range found {
		found[i].Standing = r.standing(clock)
	}
	return found, err
}

// DepositTimes puts into a reported state when passwords were changed as the service knows it: the time of a deposit
// counts, not the device's word.
func (t PasswordsReader) DepositTimes(clock Clock, device string, state *drift.State) error {
	known, err := t.RotationsOf(clock, device)
	if err != nil {
		return err
	}
	PutRotations(state, known)
	return nil
}

// PutRotations has a reported state say of passwords what the service knows. Only the device knows what was changed
// elsewhere.
func PutRotations(state *drift.State, known []Rotation) {
	reported := state.Rotation
	state.Rotation = nil
	for _, r := range known {
		target, err := principal.Parse(r.Target)
		if err != nil || r.ChangedAt == nil {
			continue
		}
		elsewhere := slices.ContainsFunc(
			reported,
			func(x drift.Rotation) bool { return x.Target == target && x.Elsewhere },
		)
		state.Rotation = append(
			state.Rotation,
			drift.Rotation{Target: target, RotatedAt: *r.ChangedAt, Next: r.NextAt, Elsewhere: elsewhere},
		)
	}
}

// RotationKey names a password that a device changes.
type RotationKey struct{ Device, Target string }

// RotationsByKey reads passwords, by device and target.
func (t PasswordsReader) RotationsByKey(clock Clock, keys []RotationKey) ([]Rotation, error) {
	devices, targets := make([]string, len(keys)), make([]string, len(keys))
	for i, k := range keys {
		devices[i], targets[i] = k.Device, k.Target
	}
	return t.rotations(clock, `from unnest(?::text[], ?::text[]) as k(device_id, target)
		join rotations r on r.device_id = k.device_id and r.target = k.target
		join devices d on d.id = r.device_id order by
		d.name_key, d.id, r.target`,
		devices, targets)
}

// AfterRotation reads the folded name, identifier and target that a page of passwords begins after.
func (p Page) AfterRotation() (name, id, target string, err error) {
	err = p.after(&name, &id, &target)
	return name, id, target, err
}

// CursorOf makes a cursor of a place in a list.
func CursorOf(place ...string) string {
	data, _ := json.Marshal(place) // strings marshal
	return base64.RawURLEncoding.EncodeToString(data)
}

// overdue is true of a rotation whose time has passed; it takes the time less the grace.
const overdue = "r.every_minutes is not null and r.changed_at is not null and r.changed_at + make_interval(mins => " +
	"r.every_minutes) < ?"

// OverdueRotations are those of live devices without an open finding about it, some at a time.
func (t PasswordsReader) OverdueRotations(clock Clock, before time.Time, limit int) ([]Rotation, error) {
	return t.rotations(
		clock,
		`from rotations r join devices d on d.id = r.device_id where d.state = 'live' and `+overdue+`
		and not exists (select 1 from findings f where f.device_id = r.device_id and f.closed_at is null
		and f.kind = ? and
		f.unit = 'rotation.' || r.target)
		order by r.device_id, r.target limit ?`,
		before,
		drift.RotationOverdue,
		limit,
	)
}

// CountOpenFinding counts one more open finding of a device.
func (t PasswordsWriter) CountOpenFinding(device string) error {
	return t.exec("update devices set open_findings = open_findings + 1, changed_at = now() where id = $1", device)
}
