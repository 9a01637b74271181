package store

import "slices"

// DirectoryMember says that somebody is in a group of the directory, both by reference.
type DirectoryMember struct{ GroupRef, MemberRef string }

// SetDirectoryMembers has groups of the directory have these members and no others.
func (t InForceWriter) SetDirectoryMembers(groups []string, members []DirectoryMember) error {
	of, in := make([]string, len(members)), make([]string, len(members))
	for i, m := range members {
		of[i], in[i] = m.GroupRef, m.MemberRef
	}
	if err := t.exec(`delete from directory_members d where d.group_ref = any($1::text[]) and not exists (
		select 1 from unnest($2::text[], $3::text[]) as m(g, r) where m.g = d.group_ref and m.r = d.member_ref)`,
		groups, of, in); err != nil {
		return err
	}
	return t.exec(`insert into directory_members (group_ref, member_ref)
		select g, r from unnest($1::text[], $2::text[]) as m(g, r)
		on conflict do nothing`, of, in)
}

// Bounds of what is followed through groups of the directory.
const (
	mostNested   = 16
	mostFollowed = 2000
)

// NestedEntry is somebody of the directory who is reached through groups of it.
type NestedEntry struct {
	Ref  string
	SID  string `gorm:"column:sid"`
	Name string
	Kind string
	// Path are the groups on the way, from the one that was asked for or the one that holds it all, the shortest way.
	Path []string `gorm:"serializer:json"`
}

// GroupsAround are the groups of the directory that somebody is in, directly or through others. The path of each begins
// with the group itself and ends with the one that holds them directly. Whoever is in more than 2,000 is followed no
// further.
func (t OrganisationReader) GroupsAround(ref string) ([]NestedEntry, error) {
	return rows[NestedEntry](t, `with recursive up(ref, way) as (
			select group_ref, array[group_ref] from directory_members where member_ref = $1
			union all
			select m.group_ref, array[m.group_ref] || up.way from up
			join directory_members m on m.member_ref = up.ref
			where cardinality(up.way) < $2 and not m.group_ref = any(up.way)
		), near as (
			select distinct on (ref) ref, way from (select * from up limit $3) u order by ref, cardinality(way)
		)
		select e.ref, e.sid, e.name, e.kind, to_jsonb(near.way) as path from near join directory_entries e on e.ref = near.ref
		order by e.ref`, ref, mostNested, mostFollowed)
}

// PeopleWithin are the people of some groups of the directory, directly or through others, with the shortest way from
// the group. More than 2,000 are not followed.
func (t OrganisationReader) PeopleWithin(groups []string) ([]NestedEntry, error) {
	return rows[NestedEntry](t, `with recursive down(ref, way) as (
			select member_ref, array[group_ref] from directory_members where group_ref = any($1::text[])
			union all
			select m.member_ref, down.way || m.group_ref from down
			join directory_members m on m.group_ref = down.ref
			where cardinality(down.way) < $2 and not m.group_ref = any(down.way)
		), near as (
			select distinct on (ref, way[1]) ref, way from (select * from down limit $3) d
			order by ref, way[1], cardinality(way)
		)
		select e.ref, e.sid, e.name, e.kind, to_jsonb(near.way) as path from near join directory_entries e on e.ref = near.ref
		where e.kind = 'user' and e.gone_at is null order by e.ref, near.way[1]`, slices.Clone(groups), mostNested,
		mostFollowed)
}
