package store

import (
	"time"

	"rankwarden.example/core/rights"
	"rankwarden.example/core/text"
)

// AccountName is how many devices have an account of one name.
type AccountName struct {
	Name       string // as the first of the devices writes it
	Devices    int
	Enabled    int // on so many of them
	Privileged int
	Managed    int // is the account of a policy there
	Builtin    int
}

// AfterAccountName is the folded name of a local account where a page begins, for lists that are not made by a query.
func (p Page) AfterAccountName() (string, error) {
	var after string
	return after, p.after(&after)
}

// CutAccountNames makes a page of names that were read with one more than fits.
func CutAccountNames(p Page, list []AccountName) ([]AccountName, string) {
	return cut(p, list, func(n AccountName) []any { return []any{text.Fold(n.Name)} })
}

// LocalAccount is an account of a device, as the device said it last.
type LocalAccount struct {
	DeviceID, Device        string
	SID                     string `gorm:"column:sid"`
	Name, FullName, Builtin string
	Key                     string // of the policy's account that it is bound to
	Enabled, Privileged     bool
	PasswordSetAt           *time.Time
	LastSignIn              *time.Time // the day of it
	Runs                    []string   `gorm:"serializer:json"` // services and scheduled tasks that run as it
	Since                   time.Time
}

// LocalMember is somebody in a local group of a device.
type LocalMember struct {
	DeviceID, Device string
	GroupName        string
	GroupSID         string `gorm:"column:group_sid"`
	SID              string `gorm:"column:sid"`
	Name             string // empty where the device cannot resolve the identifier
	Privileged       bool
	Since            time.Time
	Local            bool // it is a local account of the device
	Enabled          bool // that is enabled
	Key              string
	Builtin          string
	Via              string // by what somebody is in who is no member: a file of sudoers, with what it allows
	LastSignIn       *time.Time
	// Through are the groups of the directory by which somebody is in who was asked for, and WantedBy the assignments
	// that ask for the member; these are not of the row.
	Through  []string `gorm:"-"`
	WantedBy []string `gorm:"-"`
}

// accountColumns are those of a [LocalAccount] in a query over inventory_accounts a and devices d.
const accountColumns = `a.device_id, a.sid, a.name, a.full_name, a.builtin, a.key, a.enabled, a.privileged,
	a.password_set_at, a.last_sign_in, to_jsonb(a.runs) as runs, a.since, d.name as device`

// ListAccountsNamed lists the accounts of one name on devices in reach, in the order of the devices' identifiers.
func (t DevicesReader) ListAccountsNamed(reach rights.Reach, name string, p Page) ([]LocalAccount, string, error) {
	var after string
	if err := p.after(&after); err != nil {
		return nil, "", err
	}
	within, args := inReach(reach)
	args = append([]any{text.Fold(name), after}, append(args, p.limit()+1)...)
	list, err := rows[LocalAccount](t, `select `+accountColumns+`
		from inventory_accounts a
		join devices d on d.id = a.device_id and d.state = 'live'
		where a.name_key = ? and a.device_id > ? and `+within+` order by a.device_id limit ?`, args...)
	list, next := cut(p, list, func(a LocalAccount) []any { return []any{a.DeviceID} })
	return list, next, err
}

// memberColumns are those of a [LocalMember] in a query over inventory_members m and devices d.
const memberColumns = `m.device_id, d.name as device, m.group_name, m.sid, coalesce(nullif(a.name, ''), m.name) as name,
	m.privileged, m.since, a.sid is not null as local, coalesce(a.enabled, false) as enabled,
	coalesce(a.key, '') as key, coalesce(a.builtin, '') as builtin, m.group_sid, m.via, a.last_sign_in`

// memberTables are what these are read from.
const memberTables = `
	from inventory_members m join devices d on d.id = m.device_id and d.state = 'live'
	left join inventory_accounts a on a.device_id = m.device_id and a.sid = m.sid`

// ListMemberships lists where identifiers, or local accounts of a name, are in local groups of devices in reach, in the
// order of the devices' identifiers; only in privileged ones unless all are asked for.
func (t DevicesReader) ListMemberships(
	reach rights.Reach, sids []string, local string, all bool, p Page,
) ([]LocalMember, string, error) {
	var device, group, sid string
	if err := p.after(&device, &group, &sid); err != nil {
		return nil, "", err
	}
	within, args := inReach(reach)
	// Of local accounts the name is found first, in the order of devices, and then what each is in.
	from, first, whose, of := memberTables, "m.device_id", "m.sid = any(?)", []any{array[string](sids)}
	if local != "" {
		from = ` from inventory_accounts a
			cross join lateral (select * from devices d where d.id = a.device_id and d.state = 'live' offset 0) d
			cross join lateral (select * from inventory_members m where m.device_id = a.device_id and m.sid = a.sid
				offset 0) m`
		first, whose, of = "a.device_id", "a.name_key = ? and a.device_id >= ?",
			[]any{text.Fold(local), device}
	}
	if !all {
		whose += " and m.privileged"
	}
	args = append(append(of, device, group, sid), append(args, p.limit()+1)...)
	list, err := rows[LocalMember](t, `select `+memberColumns+from+` where `+whose+`
		and (m.device_id, m.group_sid, m.sid) > (?, ?, ?) and `+within+`
		order by `+first+`, m.group_sid, m.sid limit ?`, args...)
	list, next := cut(p, list, func(m LocalMember) []any { return []any{m.DeviceID, m.GroupSID, m.SID} })
	return list, next, err
}

// PrivilegedOf lists who is in privileged local groups of a device.
func (t DevicesReader) PrivilegedOf(device string) ([]LocalMember, error) {
	return rows[LocalMember](t, `select `+memberColumns+memberTables+` where m.device_id = $1 and m.privileged
		order by m.group_name, name, m.sid`, device)
}

// InventoryChange is what changed in the inventory of a device.
type InventoryChange struct {
	ID         int64
	At         time.Time
	Kind       string
	SID        string `gorm:"column:sid"`
	Name       string
	GroupName  string
	Former     string
	Privileged bool
}

// ListInventoryChanges lists those of a device, the latest first.
func (t DevicesReader) ListInventoryChanges(device string, p Page) ([]InventoryChange, string, error) {
	before := int64(1<<63 - 1)
	if err := p.after(&before); err != nil {
		return nil, "", err
	}
	list, err := rows[InventoryChange](t, `select * from inventory_changes where device_id = $1 and id < $2
		order by id desc limit $3`, device, before, p.limit()+1)
	list, next := cut(p, list, func(c InventoryChange) []any { return []any{c.ID} })
	return list, next, err
}
