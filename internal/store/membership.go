package store

import (
	"rankwarden.example/core/fleet"
)

// Ruled is a group that follows a rule.
type Ruled struct {
	ID, Name, Rule string
}

// RuledGroups are all groups that follow a rule, by name.
func (t Tx) RuledGroups() ([]Ruled, error) {
	return rows[Ruled](t, "select id, name, rule from groups where rule <> '' order by name")
}

// DeviceFacts are what is known of a live device.
type DeviceFacts struct {
	ID          string
	Name        string
	NameKey     string
	Platform    string
	OSVersion   string
	OSBuild     int
	Model       string
	Serial      string
	Path        string
	Tags        []string `gorm:"serializer:json"`
	PrimaryUser string
}

// Facts are the facts as rules read them.
func (f DeviceFacts) Facts() fleet.Facts {
	return fleet.Facts{Name: f.Name, Platform: f.Platform, OSVersion: f.OSVersion, OSBuild: f.OSBuild, Model: f.Model, Serial: f.Serial,
		Path: f.Path, Tags: f.Tags, PrimaryUser: f.PrimaryUser}
}

// LiveFacts are the facts of live devices by identifier, of all of them when none is given.
func (t Tx) LiveFacts(ids []string) ([]DeviceFacts, error) {
	q := t.db.Table("devices").Where("state = ?", Live)
	if ids != nil {
		q = q.Where("id in ?", orNone(ids))
	}
	return all[DeviceFacts](q.Order("id"))
}

// GroupsOf are the groups that a folded device name is in, certainly or perhaps.
func (t Tx) GroupsOf(device string) ([]Membership, error) {
	return rows[Membership](t, "select g.name, m.device, m.certain from group_members m join groups g on g.id = m.group_id where m.device = ?", device)
}

// MemberKey names a folded device name in a group, by the group's identifier.
type MemberKey struct{ Group, Device string }

// MembershipsOf are the memberships of devices in groups.
func (t Tx) MembershipsOf(groups []Ruled, devices []DeviceFacts) (map[MemberKey]fleet.Truth, error) {
	ids, keys := make([]string, len(groups)), make([]string, len(devices))
	for i, g := range groups {
		ids[i] = g.ID
	}
	for i, d := range devices {
		keys[i] = d.NameKey
	}
	// It goes past GORM, since a new rule reads the memberships of a whole fleet.
	found, err := t.db.Statement.ConnPool.QueryContext(t.db.Statement.Context,
		"select group_id, device, certain from group_members where group_id = any($1::text[]) and device = any($2::text[])", ids, keys)
	if err != nil {
		return nil, translate(err)
	}
	defer found.Close()
	memberships := map[MemberKey]fleet.Truth{}
	for found.Next() {
		var key MemberKey
		var certain bool
		if err := found.Scan(&key.Group, &key.Device, &certain); err != nil {
			return nil, translate(err)
		}
		memberships[key] = fleet.Unknown
		if certain {
			memberships[key] = fleet.Yes
		}
	}
	return memberships, translate(found.Err())
}

// OutOfReach gives the name of a device, of those given, that is certainly in none of the groups; empty
// when there is none.
func (t Tx) OutOfReach(devices, groups []string) (string, error) {
	found, err := rows[string](t, `select d.name from devices d where d.id in (?) and not exists (
		select 1 from group_members m join groups g on g.id = m.group_id where g.name in (?) and m.device = d.name_key and m.certain) order by d.name limit 1`,
		orNone(devices), orNone(groups))
	if err != nil || len(found) == 0 {
		return "", err
	}
	return found[0], nil
}

// PutMemberships stores memberships, by the group's identifier, over what is there.
func (t Tx) PutMemberships(list []Membership) error {
	if len(list) == 0 {
		return nil
	}
	groups, devices, certain := columnsOf(list)
	return t.exec(`insert into group_members (group_id, device, certain)
		select * from unnest($1::text[], $2::text[], $3::boolean[])
		on conflict (group_id, device) do update set certain = excluded.certain`, groups, devices, certain)
}

// DropMemberships removes memberships, by the group's identifier.
func (t Tx) DropMemberships(list []Membership) error {
	if len(list) == 0 {
		return nil
	}
	groups, devices, _ := columnsOf(list)
	return t.exec(`delete from group_members m using unnest($1::text[], $2::text[]) as gone(group_id, device)
		where m.group_id = gone.group_id and m.device = gone.device`, groups, devices)
}

func columnsOf(list []Membership) (groups, devices []string, certain []bool) {
	for _, m := range list {
		groups, devices, certain = append(groups, m.Name), append(devices, m.Device), append(certain, m.Certain)
	}
	return groups, devices, certain
}

// SetDeviceFacts changes the facts that a device says of itself.
func (t Tx) SetDeviceFacts(id, platform, version string, build int) error {
	return t.exec("update devices set platform = $2, os_version = $3, os_build = $4 where id = $1", id, platform, version, build)
}

// SetFacts changes the organisation facts of a device.
func (t Tx) SetFacts(id, path string, tags []string, primaryUser string) error {
	return t.exec("update devices set path = $2, tags = $3::jsonb, primary_user = $4, changed_at = now() where id = $1", id, path, toJSON(tags), primaryUser)
}
