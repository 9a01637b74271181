package store

import (
	"strings"
	"time"

	"rankwarden.example/core/rights"
)

// Group is a group of devices: listed, or by a rule.
type Group struct {
	ID          string
	Name        string
	Description string
	Rule        string // empty for a listed group
	Version     int64
	CreatedAt   time.Time
	UpdatedAt   time.Time
}

// GroupCount is a group with the number of names that are expected in it.
type GroupCount struct {
	Group
	Expected int
}

// AddGroup adds an empty group; the name must be new.
func (t InForceWriter) AddGroup(g Group) error { return translate(t.db.Create(&g).Error) }

// Group finds a group by name.
func (t OrganisationReader) Group(name string) (Group, error) {
	return first[Group](t.db.Where("name = ?", name))
}

// GroupsNamed finds those of the names that exist.
func (t OrganisationReader) GroupsNamed(names []string) ([]Group, error) {
	return all[Group](t.db.Where("name = any(?)", array[string](names)))
}

// GroupNames are the names of all groups.
func (t OrganisationReader) GroupNames() ([]string, error) {
	return rows[string](t, "select name from groups")
}

// SetGroup changes a group over the given version.
func (t InForceWriter) SetGroup(g Group, over int64) error {
	return must(t.db.Model(&Group{}).Where("id = ? and version = ?", g.ID, over).
		Select("description", "rule", "version", "updated_at").Updates(g), ErrStale)
}

// RemoveGroup removes a group of the given version.
func (t InForceWriter) RemoveGroup(id string, over int64) error {
	return must(t.db.Where("id = ? and version = ?", id, over).Delete(&Group{}), ErrStale)
}

// ListGroups lists a page by name with counts; search is part of a name.
func (t OrganisationReader) ListGroups(search string, p Page) ([]GroupCount, string, error) {
	var after string
	if err := p.after(&after); err != nil {
		return nil, "", err
	}
	list, err := rows[GroupCount](
		t,
		`select g.*, (select count(*) from expected_names e where e.group_id = g.id) as expected
		from groups g where g.name > $1 and g.name ilike $2 order by g.name limit $3`,
		after,
		like(search),
		p.limit()+1,
	)
	list, next := cut(p, list, func(g GroupCount) []any { return []any{g.Name} })
	return list, next, err
}

// GroupMember is a device in a group, or a name that is expected there: then Device is empty.
type GroupMember struct {
	Name    string
	Device  string
	Certain bool // false when a fact that the rule reads is not known
}

// ListGroupMembers lists a page of the devices in a group that are in reach, by name; names that are expected are there
// for those whose reach is everywhere.
func (t OrganisationReader) ListGroupMembers(
	reach rights.Reach, groupID string, p Page,
) ([]GroupMember, string, error) {
	var after string
	if err := p.after(&after); err != nil {
		return nil, "", err
	}
	within, args := inReach(reach)
	type row struct {
		GroupMember
		Key string // folded name, by which the list is sorted
	}
	n := p.limit() + 1
	list, err := rows[row](
		t,
		`select * from (
			(select d.name_key as key, d.name, d.id as device, m.certain from devices d
				join members m on m.device_id = d.id and m.group_id = ?
				where d.state = 'live' and d.name_key > ? and `+within+` order by d.name_key limit ?)
			union all
			(select e.name_key, e.name_key, '', true from expected_names e
				where e.group_id = ? and e.name_key > ? and ? order by e.name_key limit ?)
		) x order by key limit ?`,
		append(append([]any{groupID, after}, args...), n, groupID, after, reach.Everywhere(), n, n)...)
	list, next := cut(p, list, func(m row) []any { return []any{m.Key} })
	members := make([]GroupMember, len(list))
	for i, m := range list {
		members[i] = m.GroupMember
	}
	return members, next, err
}

// named gives each folded name of the text array $2 the live device that has it, or had it and keeps it; null for none.
const named = `select k.key, coalesce((select d.id from devices d where d.name_key = k.key and d.state = 'live'),
	(select f.device_id from former_names f join devices d on d.id = f.device_id and d.state = 'live'
		where f.name_key = k.key and f.until > now())) as id from unnest($2::text[]) k(key)`

// AddToGroup puts the devices of folded names into a group; a name that no device has is expected there.
func (t InForceWriter) AddToGroup(groupID string, names []string) error {
	return t.exec("with named as ("+named+`), joined as (
		insert into members (group_id, device_id) select $1, id from named where id is not null on conflict do nothing)
		insert into expected_names select $1, key from named where id is null on conflict do nothing`, groupID, names)
}

// RemoveFromGroup takes the devices of folded names out of a group, and names that are expected there.
func (t InForceWriter) RemoveFromGroup(groupID string, names []string) error {
	return t.exec("with named as ("+named+`), gone as (
		delete from members where group_id = $1 and device_id in (select id from named))
		delete from expected_names where group_id = $1 and name_key = any($2::text[])`, groupID, names)
}

// JoinGranted puts a device into the listed groups that an enrolment token grants, which an owner chose when the token
// was made. A group that was removed since, or follows a rule now, is left out.
func (t DevicesWriter) JoinGranted(token, device string) error {
	return t.exec(`insert into members (group_id, device_id) select g.id, $2 from enrolment_tokens t
		cross join lateral jsonb_array_elements_text(t.groups) granted join groups g on g.name = granted
		where t.id = $1 and g.rule = '' on conflict do nothing`, token, device)
}

// JoinExpected puts a device into the groups that expect its folded name, which they do not from then on.
func (t DevicesWriter) JoinExpected(device, name string) error {
	return t.exec(`with expected as (delete from expected_names where name_key = $2 returning group_id)
		insert into members (group_id, device_id) select group_id, $1 from expected on conflict do nothing`, device, name)
}

// TakeGroups puts a device into the listed groups of the one whose place it takes, whose former names it has too.
func (t DevicesWriter) TakeGroups(device, former string) error {
	return t.exec(`with names as (update former_names set device_id = $1 where device_id = $2)
		insert into members (group_id, device_id) select m.group_id, $1 from members m
		join groups g on g.id = m.group_id and g.rule = '' where m.device_id = $2 on conflict do nothing`, device, former)
}

// like makes a pattern that matches text containing s.
func like(s string) string {
	return "%" + strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(s) + "%"
}
