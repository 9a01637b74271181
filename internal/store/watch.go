package store

import (
	"time"

	"rankwarden.example/core/drift"
)

// GroupStanding is the number of live devices of a group that stand alike.
type GroupStanding struct {
	Group    string
	Standing drift.Standing
	N        int
}

// CountByGroup counts the standings of every group.
func (t Tx) CountByGroup(clock Clock) ([]GroupStanding, error) {
	return rows[GroupStanding](t, `select g.name as "group", `+standing+` as standing, count(*) as n from groups g
		join group_members m on m.group_id = g.id and m.certain join devices d on d.name_key = m.device and d.state = 'live'
		group by 1, 2 order by 1, 2`, clock.silentBefore())
}

// Mark is one device in a strip.
type Mark struct {
	Group    string
	Device   string
	Name     string
	Standing drift.Standing
}

// MarksOf gives the devices of groups, by group and name.
func (t Tx) MarksOf(clock Clock, groups []string) ([]Mark, error) {
	return rows[Mark](t, `select g.name as "group", d.id as device, d.name, `+standing+` as standing from groups g
		join group_members m on m.group_id = g.id and m.certain join devices d on d.name_key = m.device and d.state = 'live'
		where g.name in ? order by 1, d.name_key`, clock.silentBefore(), orNone(groups))
}

// ScopeStanding is the number of live devices of a scope that stand alike.
type ScopeStanding struct {
	Scope    string
	Standing drift.Standing
	N        int
}

// CountByScope counts the standings of every scope.
func (t Tx) CountByScope(clock Clock) ([]ScopeStanding, error) {
	return rows[ScopeStanding](t, "select coalesce(d.scope, '') as scope, "+standing+` as standing, count(*) as n
		from devices d where d.state = 'live' group by 1, 2`, clock.silentBefore())
}

// ScopeAssignments are the assignments of every scope, as JSON by digest.
func (t Tx) ScopeAssignments() ([]Scope, error) {
	return rows[Scope](t, "select digest, assignments from scopes")
}

// HeldGroup is a unit that is held for one reason, with the number of devices it is held on.
type HeldGroup struct {
	Unit, Why string
	Devices   int
	Example   string // name of one of them
	ExampleID string
}

// HeldUnits sums up what is held, most devices first.
func (t Tx) HeldUnits() ([]HeldGroup, error) {
	return rows[HeldGroup](t, `select h->>'unit' as unit, h->>'why' as why, count(*) as devices, min(d.name) as example,
		(array_agg(d.id order by d.name))[1] as example_id
		from devices d, jsonb_array_elements(d.held) h where d.state = 'live' and d.held_units > 0 group by 1, 2 order by 3 desc, 1, 2`)
}

// ContendedUnits sums up what devices find fought over, most devices first.
func (t Tx) ContendedUnits() ([]HeldGroup, error) {
	return rows[HeldGroup](t, `select c #>> '{}' as unit, count(*) as devices, min(d.name) as example, (array_agg(d.id order by d.name))[1] as example_id
		from devices d, jsonb_array_elements(d.contended) c where d.state = 'live' and d.contended <> '[]' group by 1 order by 2 desc, 1`)
}

// RecentFindings are findings that came or were closed since a time, latest first.
func (t Tx) RecentFindings(since time.Time, limit int) ([]Finding, error) {
	return rows[Finding](t, `select f.*, d.name as device from findings f join devices d on d.id = f.device_id
		where coalesce(f.closed_at, f.first_seen) >= ? and d.state = 'live' order by coalesce(f.closed_at, f.first_seen) desc, f.id desc limit ?`, since, limit)
}

// Verified counts the live devices that were read back under their newest desired state, and those
// of them that are expected to: heard from since the time given.
type Verified struct {
	Devices, Online, Verified, OnlineVerified int
}

// CountVerified counts.
func (t Tx) CountVerified(clock Clock) (Verified, error) {
	counts, err := rows[Verified](t, `select count(*) as devices, count(*) filter (where online) as online,
		count(*) filter (where ok) as verified, count(*) filter (where online and ok) as online_verified
		from (select d.last_contact >= ? as online, d.desired_number > 0 and
			(d.reported_epoch, d.reported_number) = (d.desired_epoch, d.desired_number) as ok from devices d where d.state = 'live') x`,
		clock.silentBefore())
	if err != nil || len(counts) == 0 {
		return Verified{}, err
	}
	return counts[0], nil
}
