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

// GroupCount is a group with the number of names that are listed in it.
type GroupCount struct {
	Group
	Listed int
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
		`select g.*, (select count(*) from group_members m where m.group_id = g.id and g.rule = '') as listed
		from groups g where g.name > $1 and g.name ilike $2 order by g.name limit $3`,
		after,
		like(search),
		p.limit()+1,
	)
	list, next := cut(p, list, func(g GroupCount) []any { return []any{g.Name} })
	return list, next, err
}

// GroupMember is a name in a group. Device is empty while no such device is enrolled.
type GroupMember struct {
	Name    string
	Device  string
	Certain bool // false when a fact that the rule reads is not known
}

// ListGroupMembers lists a page of the names in a group whose devices are in reach; names that no device
// has are there for those whose reach is everywhere.
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
	list, err := rows[row](
		t,
		`select m.device as key, coalesce(d.name, m.device) as name, coalesce(d.id, '') as device, m.certain from
			group_members m
		left join devices d on d.name_key = m.device and d.state = 'live'
		where m.group_id = ? and m.device > ? and `+within+` order by m.device limit ?`,
		append(append([]any{groupID, after}, args...), p.limit()+1)...)
	list, next := cut(p, list, func(m row) []any { return []any{m.Key} })
	members := make([]GroupMember, len(list))
	for i, m := range list {
		members[i] = m.GroupMember
	}
	return members, next, err
}

// AddToGroup puts folded device names into a group.
func (t InForceWriter) AddToGroup(groupID string, devices []string) error {
	return t.exec("insert into group_members select $1, unnest($2::text[]) on conflict do nothing", groupID, devices)
}

// JoinGranted puts a folded device name into the listed groups that an enrolment token grants, which an owner chose
// when the token was made. A group that was removed since, or follows a rule now, is left out.
func (t DevicesWriter) JoinGranted(token, device string) error {
	return t.exec(`insert into group_members select g.id, $2 from enrolment_tokens t
		cross join lateral jsonb_array_elements_text(t.groups) granted join groups g on g.name = granted
		where t.id = $1 and g.rule = '' on conflict do nothing`, token, device)
}

// RemoveFromGroup takes folded device names out of a group.
func (t InForceWriter) RemoveFromGroup(groupID string, devices []string) error {
	return t.exec("delete from group_members where group_id = $1 and device = any($2::text[])", groupID, devices)
}

// like makes a pattern that matches text containing s.
func like(s string) string {
	return "%" + strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(s) + "%"
}
