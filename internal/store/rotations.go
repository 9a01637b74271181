package store

import (
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
)

// Rotation is one password that is or was changed on a device. Names and standing of the device are
// read only.
type Rotation struct {
	DeviceID     string
	Device       string
	Serial       string
	Standing     drift.Standing
	LastContact  *time.Time
	Target       string
	Account      string
	Name         string
	ChangedAt    *time.Time
	NextAt       *time.Time
	EveryMinutes *int
	Pending      int
	ShownAt      *time.Time
	ShownBy      string
}

const rotationColumns = `r.device_id, d.name as device, d.serial, d.last_contact, ` + standing + ` as standing, r.target, r.account, r.name, r.changed_at, r.next_at,
	r.every_minutes, r.pending, r.shown_at, r.shown_by`

// RotationsOf are the passwords of a device, by target.
func (t Tx) RotationsOf(clock Clock, device string) ([]Rotation, error) {
	return rows[Rotation](t, "select "+rotationColumns+" from rotations r join devices d on d.id = r.device_id where r.device_id = ? order by r.target",
		clock.silentBefore(), device)
}

// RotationFilter narrows a list of passwords. Empty fields do not.
type RotationFilter struct {
	Search  string // part of the device's name or serial, or of the account's name
	Group   string
	Overdue bool // the rule's time and the grace have passed, or it was never changed
	Now     time.Time
	Grace   time.Duration
}

// ListRotations lists a page by device and target.
func (t Tx) ListRotations(clock Clock, f RotationFilter, p Page) ([]Rotation, string, error) {
	var name, id, target string
	if err := p.after(&name, &id, &target); err != nil {
		return nil, "", err
	}
	sql, args := "d.state = 'live' and (d.name_key, r.device_id, r.target) > (?, ?, ?)", []any{clock.silentBefore(), name, id, target}
	if f.Search != "" {
		sql += " and (d.name ilike ? or d.serial ilike ? or r.name ilike ?)"
		args = append(args, like(f.Search), like(f.Search), like(f.Search))
	}
	if f.Group != "" && f.Group != "everything" {
		sql += " and d.name_key in (select m.device from group_members m join groups g on g.id = m.group_id where g.name = ? and m.certain)"
		args = append(args, f.Group)
	}
	if f.Overdue {
		sql += " and " + overdue
		args = append(args, f.Now.Add(-f.Grace))
	}
	type row struct {
		Rotation
		NameKey string
	}
	list, err := rows[row](t, "select d.name_key, "+rotationColumns+" from rotations r join devices d on d.id = r.device_id where "+sql+
		" order by d.name_key, r.device_id, r.target limit ?", append(args, p.limit()+1)...)
	list, next := cut(p, list, func(r row) []any { return []any{r.NameKey, r.DeviceID, r.Target} })
	found := make([]Rotation, len(list))
	for i, r := range list {
		found[i] = r.Rotation
	}
	return found, next, err
}

// overdue is true of a rotation whose time has passed; it takes the time less the grace.
const overdue = "r.every_minutes is not null and r.changed_at is not null and r.changed_at + make_interval(mins => r.every_minutes) < ?"

// OverdueRotations are those of live devices without an open finding about it, some at a time.
func (t Tx) OverdueRotations(clock Clock, before time.Time, limit int) ([]Rotation, error) {
	return rows[Rotation](t, "select "+rotationColumns+` from rotations r join devices d on d.id = r.device_id where d.state = 'live' and `+overdue+`
		and not exists (select 1 from findings f where f.device_id = r.device_id and f.state = 'open' and f.kind = ? and f.unit = 'rotation.' || r.target)
		order by r.device_id, r.target limit ?`, clock.silentBefore(), before, drift.RotationOverdue, limit)
}

// CountOpenFinding counts one more open finding of a device.
func (t Tx) CountOpenFinding(device string) error {
	return t.exec("update devices set open_findings = open_findings + 1, changed_at = now() where id = $1", device)
}

// SetNext stores when a device says that its passwords are due again.
func (t Tx) SetNext(device string, reported []drift.Rotated) error {
	for _, r := range reported {
		if err := t.exec("update rotations set next_at = $3 where device_id = $1 and target = $2", device, r.Target.String(), r.Next); err != nil {
			return err
		}
	}
	return nil
}

// SetRules stores which rules are in force for the passwords of a device, in minutes by target; the
// others no rule changes any more.
func (t Tx) SetRules(device string, every map[principal.Ref]int) error {
	targets, minutes := []string{}, []int64{}
	for target, m := range every {
		targets, minutes = append(targets, target.String()), append(minutes, int64(m))
	}
	return t.exec(`update rotations r set every_minutes = (select e.minutes from unnest($2::text[], $3::bigint[]) as e(target, minutes) where e.target = r.target)
		where device_id = $1`, device, targets, minutes)
}
