package store

import "rankwarden.example/core/fleet"

// UserToLearn is who uses a device most, as the directory names them, where another primary user is known or none.
type UserToLearn struct{ DeviceID, User string }

// UsersToLearn are those of live devices whose primary user nobody set, by the identifiers of the devices. Whoever the
// directory does not know, or knows twice by the name that the device says, is not learned.
func (t OrganisationReader) UsersToLearn(limit int) ([]UserToLearn, error) {
	return rows[UserToLearn](t, `select d.id as device_id, min(e.name) as user from devices d
		join directory_entries e on e.kind = 'user' and e.gone_at is null and (e.sid = d.usual_user
			or d.usual_user like 'name:%' and lower(split_part(e.name, chr(64), 1)) = lower(substr(d.usual_user, 6)))
		where d.state = 'live' and d.usual_user <> '' and (d.primary_user = '' or d.primary_user_learned)
		group by d.id, d.primary_user having count(*) = 1 and min(e.name) <> d.primary_user
		order by d.id limit $1`, limit)
}

// LearnsUsers reports whether the primary user of any device was learned from what the device says.
func (t OrganisationReader) LearnsUsers() (bool, error) {
	found, err := rows[bool](t, "select true from devices where primary_user_learned limit 1")
	return len(found) > 0, err
}

// SetLearned says of devices whether their primary users were learned.
func (t InForceWriter) SetLearned(devices []string, learned bool) error {
	return t.exec("update devices set primary_user_learned = $2 where id = any($1)", array[string](devices), learned)
}

// SetUserGroups works out the groups of the directory that the primary users of devices are in, directly or through
// others, of all devices when none is given. It gives those on which they are others than before. A primary user is
// known by name, with the domain or without where nobody else of the directory has it. (GORM takes an @ for a name of
// an argument, so that it is written as chr(64).)
func (t InForceWriter) SetUserGroups(devices []string) ([]string, error) {
	return rows[string](t, `with recursive used as (
			select d.id, min(e.ref) as ref from devices d
			join directory_entries e on e.kind = 'user' and e.gone_at is null
				and lower(split_part(e.name, chr(64), 1)) = lower(split_part(d.primary_user, chr(64), 1))
				and (position(chr(64) in d.primary_user) = 0 or lower(e.name) = lower(d.primary_user))
			where d.state = 'live' and d.primary_user <> '' and (cardinality($1::text[]) = 0 or d.id = any($1::text[]))
			group by d.id having count(*) = 1
		), up(person, ref) as (
			select distinct u.ref, m.group_ref from used u join directory_members m on m.member_ref = u.ref
			union
			select up.person, m.group_ref from up join directory_members m on m.member_ref = up.ref
		), named as (
			select distinct up.person, n.name from up join directory_entries e on e.ref = up.ref and e.gone_at is null
			cross join lateral (values (lower(e.name)), (lower(split_part(e.name, chr(64), 1)))) as n(name)
		), listed as (
			select person, to_jsonb((array_agg(name order by name))[1:$2::int]) as groups from named group by person
		)
		update devices d set user_groups = coalesce(x.groups, '[]') from devices f
			left join used u on u.id = f.id left join listed x on x.person = u.ref
		where d.id = f.id and f.state = 'live' and (cardinality($1::text[]) = 0 or f.id = any($1::text[]))
			and f.user_groups <> coalesce(x.groups, '[]')
		returning d.id`, array[string](devices), fleet.MostGroups)
}
