package store

import (
	"rankwarden.example/core/assign"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/rights"
)

// RuleGroup is a group that follows a rule.
type RuleGroup struct {
	ID, Name, Rule string
}

// RuledGroups are all groups that follow a rule, by name.
func (t OrganisationReader) RuledGroups() ([]RuleGroup, error) {
	return rows[RuleGroup](t, "select id, name, rule from groups where rule <> '' order by name")
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
	UserGroups  []string `gorm:"serializer:json"`
}

// Facts are the facts as rules read them.
func (f DeviceFacts) Facts() fleet.Facts {
	return fleet.Facts{
		Name:        f.Name,
		Platform:    f.Platform,
		OSVersion:   f.OSVersion,
		OSBuild:     f.OSBuild,
		Model:       f.Model,
		Serial:      f.Serial,
		Path:        f.Path,
		Tags:        f.Tags,
		PrimaryUser: f.PrimaryUser,
		UserGroups:  f.UserGroups,
	}
}

// LiveFacts are the facts of live devices by identifier, of all of them when none is given.
func (t OrganisationReader) LiveFacts(ids []string) ([]DeviceFacts, error) {
	q := t.db.Table("devices").Where("state = ?", Live)
	if ids != nil {
		q = q.Where("id = any(?)", array[string](ids))
	}
	return all[DeviceFacts](q.Order("id"))
}

// GroupsOf are the groups that a device is in, certainly or perhaps.
func (t OrganisationReader) GroupsOf(device string) ([]Membership, error) {
	return rows[Membership](
		t,
		"select g.name, m.device_id as device, m.certain from members m join groups g on g.id = m.group_id "+
			"where m.device_id = $1",
		device,
	)
}

// MemberKey names a device in a group, by their identifiers.
type MemberKey struct{ Group, Device string }

// MembershipsOf are the memberships of devices in groups.
func (t OrganisationReader) MembershipsOf(
	groups []RuleGroup, devices []DeviceFacts,
) (map[MemberKey]assign.Truth, error) {
	ids, keys := make([]string, len(groups)), make([]string, len(devices))
	for i, g := range groups {
		ids[i] = g.ID
	}
	for i, d := range devices {
		keys[i] = d.ID
	}
	// It goes past GORM, since a new rule reads the memberships of a whole fleet.
	found, err := t.db.Statement.ConnPool.QueryContext(
		t.db.Statement.Context,
		"select group_id, device_id, certain from members where group_id = any($1::text[]) "+
			"and device_id = any($2::text[])",
		ids,
		keys,
	)
	if err != nil {
		return nil, translate(err)
	}
	defer found.Close()
	memberships := map[MemberKey]assign.Truth{}
	for found.Next() {
		var key MemberKey
		var certain bool
		if err := found.Scan(&key.Group, &key.Device, &certain); err != nil {
			return nil, translate(err)
		}
		memberships[key] = assign.Unknown
		if certain {
			memberships[key] = assign.Yes
		}
	}
	return memberships, translate(found.Err())
}

// OutOfReach gives the name of a device, of those given by identifier, that is not in reach; empty when
// there is none.
func (t OrganisationReader) OutOfReach(reach rights.Reach, devices []string) (string, error) {
	within, args := inReach(reach)
	found, err := rows[string](
		t,
		"select d.name from devices d where d.id = any(?) and not "+within+" order by d.name limit 1",
		append([]any{devices}, args...)...)
	if err != nil || len(found) == 0 {
		return "", err
	}
	return found[0], nil
}

// CountOutside counts names, folded, that are not those of live devices in reach, now or formerly.
func (t OrganisationReader) CountOutside(reach rights.Reach, names []string) (int, error) {
	within, args := inReach(reach)
	n, err := rows[int](t, `select count(*) from unnest(?::text[]) as n(key) where not exists (
		select 1 from devices d where d.state = 'live' and (d.name_key = n.key or d.id = (select f.device_id from
			former_names f where f.name_key = n.key and f.until > now())) and `+within+")",
		append([]any{names}, args...)...)
	if err != nil {
		return 0, err
	}
	return n[0], nil
}

// CountDevicesOutside counts devices, by identifier, that are not in reach.
func (t OrganisationReader) CountDevicesOutside(reach rights.Reach, ids []string) (int, error) {
	within, args := inReach(reach)
	n, err := rows[int](
		t,
		"select count(*) from devices d where d.id = any(?) and not "+within,
		append([]any{ids}, args...)...)
	if err != nil {
		return 0, err
	}
	return n[0], nil
}

// CountMembersOutside counts the live devices in a group that are not in reach, and the names that are expected there.
func (t OrganisationReader) CountMembersOutside(reach rights.Reach, groupID string) (int, error) {
	within, args := inReach(reach)
	n, err := rows[int](t, `select (select count(*) from members x join devices d on d.id = x.device_id and
			d.state = 'live' where x.group_id = ? and not `+within+`)
		+ (select count(*) from expected_names e where e.group_id = ?)`,
		append(append([]any{groupID}, args...), groupID)...)
	if err != nil {
		return 0, err
	}
	return n[0], nil
}

// Aim is the groups of an assignment.
type Aim struct{ Include, Exclude, Within []string }

// CountAimedOutside counts live devices that an aim reaches, or may reach, and that are not in reach.
func (t OrganisationReader) CountAimedOutside(reach rights.Reach, aim Aim) (int, error) {
	const in = "(?::text = 'everything' or exists (select 1 from members m join groups g on g.id = m.group_id " +
		"where g.name = ? and m.device_id = d.id"
	sql, args := "d.state = 'live'", []any{}
	any := "false"
	for _, g := range aim.Include {
		any += " or " + in + "))"
		args = append(args, g, g)
	}
	sql += " and (" + any + ")"
	for _, g := range aim.Exclude {
		sql += " and not " + in + " and m.certain))"
		args = append(args, g, g)
	}
	for _, g := range aim.Within {
		sql += " and " + in + "))"
		args = append(args, g, g)
	}
	within, more := inReach(reach)
	n, err := rows[int](t, "select count(*) from devices d where "+sql+" and not "+within, append(args, more...)...)
	if err != nil {
		return 0, err
	}
	return n[0], nil
}

// PutMemberships stores memberships, by the group's identifier, over what is there.
func (t OrganisationWriter) PutMemberships(list []Membership) error {
	if len(list) == 0 {
		return nil
	}
	groups, devices, certain := columnsOf(list)
	return t.exec(`insert into members (group_id, device_id, certain)
		select * from unnest($1::text[], $2::text[], $3::boolean[])
		on conflict (group_id, device_id) do update set certain = excluded.certain`, groups, devices, certain)
}

// DropMemberships removes memberships, by the group's identifier.
func (t OrganisationWriter) DropMemberships(list []Membership) error {
	if len(list) == 0 {
		return nil
	}
	groups, devices, _ := columnsOf(list)
	return t.exec(`delete from members m using unnest($1::text[], $2::text[]) as gone(group_id, device_id)
		where m.group_id = gone.group_id and m.device_id = gone.device_id`, groups, devices)
}

func columnsOf(list []Membership) (groups, devices []string, certain []bool) {
	for _, m := range list {
		groups, devices, certain = append(groups, m.Name), append(devices, m.Device), append(certain, m.Certain)
	}
	return groups, devices, certain
}

// SetDeviceFacts changes the facts that a device says of itself.
func (t OrganisationWriter) SetDeviceFacts(id, platform, version string, build int, agent string) error {
	return t.exec(
		"update devices set platform = $2, os_version = $3, os_build = $4, agent_version = $5, changed_at = now() "+
			"where id = $1",
		id,
		platform,
		version,
		build,
		agent,
	)
}

// TakeFacts gives a device the organisation facts of the one whose place it takes.
func (t DevicesWriter) TakeFacts(device, former string) error {
	return t.exec(`update devices d set path = f.path, tags = f.tags, primary_user = f.primary_user,
		primary_user_learned = f.primary_user_learned, user_groups = f.user_groups, changed_at = now()
		from devices f where d.id = $1 and f.id = $2`, device, former)
}

// SetFacts changes the organisation facts of a device.
func (t InForceWriter) SetFacts(id, path string, tags []string, primaryUser string) error {
	return t.exec(
		"update devices set path = $2, tags = $3::jsonb, primary_user = $4, changed_at = now() where id = $1",
		id,
		path,
		toJSON(tags),
		primaryUser,
	)
}
