package store

import (
	"time"

	"rankwarden.example/core/rights"
)

// PostureScope is what a report is about: devices in reach and in a group, and a period.
type PostureScope struct {
	Reach rights.Reach
	Group string // empty for every device
	Since time.Time
	Until time.Time
}

// where is the condition on the device d.
func (p PostureScope) where() (string, []any) {
	reach, args := inReach(p.Reach)
	group, more := inGroup(p.Group)
	return "d.state = 'live' and " + reach + " and " + group, append(args, more...)
}

// VerifiedDay is how long devices took on a day (UTC) to have a new desired state.
type VerifiedDay struct {
	Day      time.Time
	Verified int     // desired states
	Half     float64 // seconds within which half of them were verified
	Most     float64 // seconds within which nine of ten were
}

// VerifiedDays are those of a period, in order.
func (t FindingsReader) VerifiedDays(p PostureScope) ([]VerifiedDay, error) {
	where, args := p.where()
	return rows[VerifiedDay](t, `select date_trunc('day', x.verified_at, 'UTC') as day, count(*) as verified,
		percentile_cont(0.5) within group (order by extract(epoch from x.verified_at - x.created_at)) as half,
		percentile_cont(0.9) within group (order by extract(epoch from x.verified_at - x.created_at)) as most
		from desired_states x join devices d on d.id = x.device_id
		where x.verified_at >= ? and x.verified_at < ? and `+where+` group by 1 order by 1`,
		append([]any{p.Since, p.Until}, args...)...)
}

// RuleFindings are the findings of a period of one setting as some assignments decide it.
type RuleFindings struct {
	Unit        string
	Assignments []string `gorm:"serializer:json"`
	Opened      int      // in the period
	Corrected   int      // by the device itself, in the period
	Closed      int      // otherwise, in the period
	Open        int      // at its end, without waived ones
	Waived      int      // at its end
	Devices     int
}

// FindingsByRule sums the findings up that were open at some time of a period, most devices first. What a platform does
// not support is none.
func (t FindingsReader) FindingsByRule(p PostureScope) ([]RuleFindings, error) {
	where, args := p.where()
	return rows[RuleFindings](t, `with seen as (
			select x.* from findings x where x.closed_at is null and x.first_seen < ?
			union all select x.* from findings x where x.closed_at >= ? and x.first_seen < ?)
		select x.unit, x.assignments,
		count(*) filter (where x.first_seen >= ? and x.state <> 'corrected') as opened,
		count(*) filter (where x.state = 'corrected' and x.closed_at < ?) as corrected,
		count(*) filter (where x.state <> 'corrected' and x.closed_at < ?) as closed,
		count(*) filter (where x.state <> 'waived' and (x.closed_at is null or x.closed_at >= ?)) as open,
		count(*) filter (where x.state = 'waived' and x.closed_at is null) as waived,
		count(distinct x.device_id) as devices
		from seen x join devices d on d.id = x.device_id where x.kind <> 'unit_unsupported' and `+where+`
		group by 1, 2 order by devices desc, 1, 2`,
		append([]any{p.Until, p.Since, p.Until, p.Since, p.Until, p.Until, p.Until}, args...)...)
}

// firstOf gives the first of a list, and how many there are in all.
func firstOf[T any](t querier, columns, from, order string, most int, args []any) (list []T, n int, err error) {
	if n, err = one[int](t, "select count(*) "+from, args...); err != nil || n == 0 {
		return nil, 0, err
	}
	list, err = rows[T](t, "select "+columns+" "+from+" "+order+" limit ?", append(args, most)...)
	return list, n, err
}

// OverduePassword is a password whose time to change has passed.
type OverduePassword struct {
	DeviceID, Device, Target, Name string
	ChangedAt, DueAt               time.Time
}

// OverduePasswords are those of a scope as of a time, the oldest first, at most some.
func (t FindingsReader) OverduePasswords(
	p PostureScope, before time.Time, most int,
) (list []OverduePassword, n int, err error) {
	where, args := p.where()
	return firstOf[OverduePassword](t, `d.id as device_id, d.name as device, r.target, r.name, r.changed_at,
		r.changed_at + make_interval(mins => r.every_minutes) as due_at`,
		"from rotations r join devices d on d.id = r.device_id where "+overdue+" and "+where, "order by due_at, d.name",
		most,
		append([]any{before}, args...))
}

// RevealSum is how often somebody saw passwords for a reason.
type RevealSum struct {
	Operator, Reason string
	Times, Devices   int
	Last             time.Time
}

// RevealSums are those of a period by person, the most often first, at most some.
func (t FindingsReader) RevealSums(p PostureScope, most int) (list []RevealSum, n int, err error) {
	where, args := p.where()
	return firstOf[RevealSum](t,
		"x.operator, x.reason, count(*) as times, count(distinct x.device_id) as devices, max(x.at) as last",
		"from reveals x join devices d on d.id = x.device_id where x.at >= ? and x.at < ? and "+where,
		"group by 1, 2 order by times desc, 1, 2", most, append([]any{p.Since, p.Until}, args...))
}

// WaiversWithin are those that held at some time of a period, the latest first, at most some.
func (t FindingsReader) WaiversWithin(p PostureScope, most int) (list []Waiver, n int, err error) {
	where, args := p.where()
	return firstOf[Waiver](t, "x.*, d.name as device",
		"from waivers x join devices d on d.id = x.device_id where x.made_at < ? and coalesce(x.ended_at, "+
			"'infinity') >= ? and "+where, "order by x.id desc", most,
		append([]any{p.Until, p.Since}, args...))
}

// WarrantsWithin are those that held at some time of a period on a device of the scope, the latest first, at most some.
func (t FindingsReader) WarrantsWithin(p PostureScope, most int) (list []Warrant, n int, err error) {
	where, args := p.where()
	return firstOf[Warrant](t, "w.*", "from warrants w where w.state in ('agreed', 'taken_back', 'ended') "+
		"and w.decided_at is not null and w.starts_at < ? and least(w.ends_at, coalesce(w.ended_at, 'infinity')) >= ? "+
		"and exists (select 1 from warrant_devices wd join devices d on d.id = wd.device_id "+
		"where wd.warrant_id = w.id and "+where+")",
		"order by w.id desc", most, append([]any{p.Until, p.Since}, args...))
}

// ClosedChange is a change that came to its end, with who approved it.
type ClosedChange struct {
	Change
	ApprovedBy string // empty where nobody had to
}

// ChangesWithin are those that were applied or reverted in a period, the latest first, at most some.
func (t FindingsReader) ChangesWithin(since, until time.Time, most int) (list []ClosedChange, n int, err error) {
	return firstOf[ClosedChange](t, `c.*, coalesce((select string_agg(distinct e.who, ', ') from change_events e
		where e.change_id = c.id and e.what = 'approved'), '') as approved_by`,
		"from changes c where c.closed_at >= ? and c.closed_at < ? and c.state in ('done', 'reverted')",
		"order by c.closed_at desc, c.id", most, []any{since, until})
}
