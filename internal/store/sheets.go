package store

import (
	"time"

	"rankwarden.example/core/rights"
)

// States of a sealed sheet.
const (
	SheetWaiting  = "waiting"  // for a second person
	SheetApproved = "approved" // whoever asked may have it made
	SheetDeclined = "declined"
	SheetMade     = "made"
)

// SheetWaits is how long a sheet waits for a second person, and then to be made.
const SheetWaits = 24 * time.Hour

// Sheet gives passwords of some devices away, sealed. What is sealed is not kept.
type Sheet struct {
	ID        string
	State     string
	Recipient string // whose key it is sealed to; empty for a passphrase
	Reason    string
	Needs     []string `gorm:"serializer:json"` // why a second person must approve
	AskedBy   string
	AskedByID string
	AskedAt   time.Time
	DecidedBy string
	DecidedAt *time.Time
	MadeAt    *time.Time
	EndsAt    time.Time // its passwords are changed by then
}

// SheetDevice is a device of a sheet.
type SheetDevice struct {
	SheetID, ID, Name string
	OrderedAt         *time.Time // when it was given the order to change the passwords
	Passwords         int        // that are on the sheet
	Valid             int        // that may still open their account
}

// AddSheet adds one for some devices.
func (t PasswordsWriter) AddSheet(s Sheet, devices []string) error {
	if err := translate(t.db.Create(&s).Error); err != nil {
		return err
	}
	return t.exec("insert into sheet_devices (sheet_id, device_id) select $1, unnest($2::text[])", s.ID, devices)
}

// LockSheet finds one, and keeps others from altering it until the transaction ends.
func (t PasswordsWriter) LockSheet(id string) (Sheet, error) {
	if err := t.exec("select 1 from sheets where id = $1 for update", id); err != nil {
		return Sheet{}, err
	}
	return first[Sheet](t.db.Where("id = ?", id))
}

// SetSheet stores what was decided, or that it was made.
func (t PasswordsWriter) SetSheet(s Sheet) error {
	return translate(t.db.Model(&Sheet{}).Where("id = ?", s.ID).Select("state", "decided_by", "decided_at", "made_at").
		Updates(s).Error)
}

// AddSheetPasswords stores which passwords are on a sheet.
func (t PasswordsWriter) AddSheetPasswords(sheet string, deposits []Deposit) error {
	devices, targets := make([]string, len(deposits)), make([]string, len(deposits))
	epochs, numbers := make([]int64, len(deposits)), make([]int64, len(deposits))
	for i, d := range deposits {
		devices[i], targets[i], epochs[i], numbers[i] = d.DeviceID, d.Target, d.Epoch, d.Number
	}
	return t.exec("insert into sheet_passwords (sheet_id, device_id, target, epoch, number) "+
		"select $1, * from unnest($2::text[], $3::text[], $4::bigint[], $5::bigint[])",
		sheet, devices, targets, epochs, numbers)
}

// Sheet finds one.
func (t PasswordsReader) Sheet(id string) (Sheet, error) {
	return first[Sheet](t.db.Where("id = ?", id))
}

// ListSheets lists a page of those with devices in reach, the latest first.
func (t PasswordsReader) ListSheets(reach rights.Reach, p Page) ([]Sheet, string, error) {
	before := "~" // after every identifier
	if err := p.after(&before); err != nil {
		return nil, "", err
	}
	of, args := inReach(reach)
	list, err := rows[Sheet](t, "select s.* from sheets s where s.id < ? and exists (select 1 from sheet_devices sd "+
		"join devices d on d.id = sd.device_id where sd.sheet_id = s.id and "+of+") order by s.id desc limit ?",
		append(append([]any{before}, args...), p.limit()+1)...)
	list, next := cut(p, list, func(s Sheet) []any { return []any{s.ID} })
	return list, next, err
}

// WaitingSheets are those that wait for a second person since a time, with devices in reach; at most some.
func (t PasswordsReader) WaitingSheets(reach rights.Reach, since time.Time, most int) ([]Sheet, error) {
	of, args := inReach(reach)
	return rows[Sheet](t, "select s.* from sheets s where s.state = 'waiting' and s.asked_at > ? and exists (select 1 "+
		"from sheet_devices sd join devices d on d.id = sd.device_id where sd.sheet_id = s.id and "+of+") "+
		"order by s.id desc limit ?", append(append([]any{since}, args...), most)...)
}

// DevicesOfSheets are the devices in reach of some sheets, by sheet and name.
func (t PasswordsReader) DevicesOfSheets(reach rights.Reach, sheets []string) (map[string][]SheetDevice, error) {
	of, args := inReach(reach)
	list, err := rows[SheetDevice](t, "select sd.sheet_id, d.id, d.name, sd.ordered_at, p.passwords, p.valid "+
		"from sheet_devices sd join devices d on d.id = sd.device_id cross join lateral (select count(*) as "+
		"passwords, count(*) filter (where x.state <> 'former') as valid from sheet_passwords sp left join deposits x "+
		"on x.device_id = sp.device_id and x.epoch = sp.epoch and x.number = sp.number "+
		"where sp.sheet_id = sd.sheet_id and sp.device_id = sd.device_id) p "+
		"where sd.sheet_id = any(?) and "+of+" order by d.name_key",
		append([]any{array[string](sheets)}, args...)...)
	devices := map[string][]SheetDevice{}
	for _, d := range list {
		devices[d.SheetID] = append(devices[d.SheetID], d)
	}
	return devices, err
}

// SheetDue is a password on a sheet that its device is to change.
type SheetDue struct{ SheetID, DeviceID, Target string }

// SheetsDue are the live devices of sheets, with the accounts whose passwords on them may still be right, that have not
// been told to change them although their sheet ends, or they have been away since a time; by device, at most some.
func (t PasswordsReader) SheetsDue(now, away time.Time, most int) ([]SheetDue, error) {
	return rows[SheetDue](t, "with due as (select sd.sheet_id, sd.device_id from sheet_devices sd "+
		"join sheets s on s.id = sd.sheet_id join devices d on d.id = sd.device_id "+
		"where sd.ordered_at is null and s.state = 'made' and d.state = 'live' "+
		"and (s.ends_at <= $1 or d.last_contact is null or d.last_contact < $2) order by 1, 2 limit $3) "+
		"select distinct due.sheet_id, due.device_id, coalesce(x.target, '') as target from due "+
		"left join (sheet_passwords sp join deposits x on x.device_id = sp.device_id and x.epoch = sp.epoch "+
		"and x.number = sp.number and x.state <> 'former') on sp.sheet_id = due.sheet_id "+
		"and sp.device_id = due.device_id order by 2, 1, 3", now, away, most)
}

// SheetOrdered stores that a device was told to change the passwords of a sheet.
func (t PasswordsWriter) SheetOrdered(sheet, device string, at time.Time) error {
	return t.exec("update sheet_devices set ordered_at = $3 where sheet_id = $1 and device_id = $2", sheet, device, at)
}
