package store

import (
	"strings"
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

// AccountQuery narrows a list of account names; the zero one has all.
type AccountQuery struct {
	Search     string // part of a name
	Unknown    bool   // only names of accounts that no policy manages and that are not built in
	Privileged bool   // only names of accounts that can take a device over
	Group      string // only on devices of this group
}

// LocalAccount is an account of a device, as the device said it last.
type LocalAccount struct {
	DeviceID, Device        string
	SID                     string `gorm:"column:sid"`
	Name, FullName, Builtin string
	Key                     string // of the policy's account that it is bound to
	Enabled, Privileged     bool
	PasswordSetAt           *time.Time
	Since                   time.Time
}

// LocalMember is somebody in a local group of a device.
type LocalMember struct {
	DeviceID, Device string
	GroupName        string
	SID              string `gorm:"column:sid"`
	Name             string // empty where the device cannot resolve the identifier
	Privileged       bool
	Since            time.Time
	Local            bool // it is a local account of the device
	Enabled          bool // that is enabled
	Key              string
	Builtin          string
}

// ListAccountNames lists names of local accounts with how many devices in reach have one, by name.
func (t DevicesReader) ListAccountNames(reach rights.Reach, q AccountQuery, p Page) ([]AccountName, string, error) {
	var after string
	if err := p.after(&after); err != nil {
		return nil, "", err
	}
	within, args := inReach(reach)
	grouped, more := inGroup(q.Group)
	args = append(args, more...)
	where := []string{"d.state = 'live'", within, grouped, "a.name_key > ?"}
	args = append(args, after)
	if q.Search != "" {
		where, args = append(where, "a.name_key like ?"), append(args, like(text.Fold(q.Search)))
	}
	if q.Unknown {
		where = append(where, "a.key = '' and a.builtin = ''")
	}
	if q.Privileged {
		where = append(where, "a.privileged")
	}
	type row struct {
		AccountName
		NameKey string
	}
	list, err := rows[row](t, `select a.name_key, min(a.name) as name, count(*) as devices,
		count(*) filter (where a.enabled) as enabled, count(*) filter (where a.privileged) as privileged,
		count(*) filter (where a.key <> '') as managed, count(*) filter (where a.builtin <> '') as builtin
		from inventory_accounts a join devices d on d.id = a.device_id
		where `+strings.Join(where, " and ")+` group by a.name_key order by a.name_key limit ?`,
		append(args, p.limit()+1)...)
	list, next := cut(p, list, func(x row) []any { return []any{x.NameKey} })
	names := make([]AccountName, len(list))
	for i, x := range list {
		names[i] = x.AccountName
	}
	return names, next, err
}

// ListAccountsNamed lists the accounts of one name on devices in reach, in the order of the devices' identifiers.
func (t DevicesReader) ListAccountsNamed(reach rights.Reach, name string, p Page) ([]LocalAccount, string, error) {
	var after string
	if err := p.after(&after); err != nil {
		return nil, "", err
	}
	within, args := inReach(reach)
	args = append([]any{text.Fold(name), after}, append(args, p.limit()+1)...)
	list, err := rows[LocalAccount](t, `select a.*, d.name as device from inventory_accounts a
		join devices d on d.id = a.device_id and d.state = 'live'
		where a.name_key = ? and a.device_id > ? and `+within+` order by a.device_id limit ?`, args...)
	list, next := cut(p, list, func(a LocalAccount) []any { return []any{a.DeviceID} })
	return list, next, err
}

// memberColumns are those of a [LocalMember] in a query over inventory_members m and devices d.
const memberColumns = `m.device_id, d.name as device, m.group_name, m.sid, coalesce(nullif(a.name, ''), m.name) as name,
	m.privileged, m.since, a.sid is not null as local, coalesce(a.enabled, false) as enabled,
	coalesce(a.key, '') as key, coalesce(a.builtin, '') as builtin
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
	whose, of := "m.sid = any(?)", any(array[string](sids))
	if local != "" {
		whose, of = "(m.device_id, m.sid) in (select device_id, sid from inventory_accounts where name_key = ?)",
			text.Fold(local)
	}
	if !all {
		whose += " and m.privileged"
	}
	args = append([]any{of, device, group, sid}, append(args, p.limit()+1)...)
	list, err := rows[membershipRow](t, `select m.group_sid, `+memberColumns+` where `+whose+`
		and (m.device_id, m.group_sid, m.sid) > (?, ?, ?) and `+within+`
		order by m.device_id, m.group_sid, m.sid limit ?`, args...)
	list, next := cut(p, list, func(m membershipRow) []any { return []any{m.DeviceID, m.GroupSID, m.SID} })
	return membershipsOf(list), next, err
}

// PrivilegedOf lists who is in privileged local groups of a device.
func (t DevicesReader) PrivilegedOf(device string) ([]LocalMember, error) {
	list, err := rows[membershipRow](t, `select m.group_sid, `+memberColumns+` where m.device_id = $1 and m.privileged
		order by m.group_name, name, m.sid`, device)
	return membershipsOf(list), err
}

type membershipRow struct {
	LocalMember
	GroupSID string `gorm:"column:group_sid"`
}

func membershipsOf(list []membershipRow) []LocalMember {
	members := make([]LocalMember, len(list))
	for i, x := range list {
		members[i] = x.LocalMember
	}
	return members
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
