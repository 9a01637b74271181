package store

import (
	"time"

	"rankwarden.example/core/rights"
	"rankwarden.example/core/text"
)

// Retirement is why a device was retired, and until when its passwords are kept.
type Retirement struct {
	DeviceID       string
	Because        string // lost, sold, reinstalled, repair or copied
	Note           string
	RetiredBy      string
	At             time.Time
	PasswordsUntil time.Time
}

// AddRetirement keeps why a device was retired, in place of an earlier time.
func (t DevicesWriter) AddRetirement(r Retirement) error {
	return t.exec(`insert into retirements (device_id, because, note, retired_by, at, passwords_until)
		values ($1, $2, $3, $4, $5, $6) on conflict (device_id) do update set because = excluded.because,
		note = excluded.note, retired_by = excluded.retired_by, at = excluded.at,
		passwords_until = excluded.passwords_until`,
		r.DeviceID, r.Because, r.Note, r.RetiredBy, r.At, r.PasswordsUntil)
}

// DropRetirement forgets that a device was retired, which is back.
func (t DevicesWriter) DropRetirement(device string) error {
	return t.exec("delete from retirements where device_id = $1", device)
}

// Retirements are those of devices; one that was never retired, or before that was kept, has none.
func (t DevicesReader) Retirements(devices []string) ([]Retirement, error) {
	return rows[Retirement](t, "select * from retirements where device_id = any($1)", array[string](devices))
}

// CopiedDevices are retired ones in reach whose key two machines held, and in whose place none has enrolled yet.
func (t DevicesReader) CopiedDevices(reach rights.Reach, most int) ([]Device, error) {
	within, args := inReach(reach)
	return rows[Device](t, `select d.* from retirements x join devices d on d.id = x.device_id and d.state = 'retired'
		where x.because = 'copied' and not exists (select 1 from devices o where o.name_key = d.name_key
		and o.state = 'live') and `+within+" order by x.at desc limit ?", append(args, most)...)
}

// TroubledDevices are live ones in reach whose agents are kept from their work.
func (t DevicesReader) TroubledDevices(reach rights.Reach, most int) ([]Device, error) {
	within, args := inReach(reach)
	return rows[Device](t, "select d.* from devices d where d.trouble <> '' and d.state = 'live' and "+within+
		" order by d.id limit ?", append(args, most)...)
}

// RetiredRotations lists a page of the passwords of retired devices in reach that are kept still, by device and
// account.
func (t PasswordsReader) RetiredRotations(
	clock Clock, reach rights.Reach, search string, p Page,
) ([]Rotation, string, error) {
	name, id, target, err := p.AfterRotation()
	if err != nil {
		return nil, "", err
	}
	within, args := inReach(reach)
	search = like(text.Fold(search))
	list, err := t.rotations(clock, `from retirements x join devices d on d.id = x.device_id and d.state = 'retired'
		join rotations r on r.device_id = d.id
		where x.passwords_until > ? and (d.name_key, d.id, r.target) > (?, ?, ?)
		and (d.name_key like ? or lower(d.serial) like ? or lower(r.name) like ?) and `+within+`
		order by d.name_key, d.id, r.target limit ?`,
		append(append([]any{clock.Now, name, id, target, search, search, search}, args...), p.limit()+1)...)
	list, next := cut(p, list, func(r Rotation) []any { return []any{text.Fold(r.Device), r.DeviceID, r.Target} })
	return list, next, err
}
