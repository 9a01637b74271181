package store

import (
	"time"

	"rankwarden.example/core/rights"
)

// Narrow says which devices, and which time, a list of the past is narrowed to. The zero Narrow has no
// device.
type Narrow struct {
	Reach rights.Reach
	Group string // name; empty for no restriction
	// Few are the identifiers of the devices where they are few: then each is looked at by itself,
	// instead of going through everything until enough is found. Nil for many.
	Few   []string
	Since time.Time // zero for no restriction
	Until time.Time
}

// MostFew is the largest number of devices that are looked at one by one.
const MostFew = 500

// inReach is the condition that the device d is in reach.
func inReach(reach rights.Reach) (string, []any) {
	if reach.Everywhere() {
		return "true", nil
	}
	return "exists (select 1 from members m join groups g on g.id = m.group_id where g.name = any(?) " +
			"and m.certain and m.device_id = d.id)", []any{
			reach.Groups(),
		}
}

// inGroup is the condition that the device d is in a group.
func inGroup(group string) (string, []any) {
	if group == "" || group == rights.Everything {
		return "true", nil
	}
	return "exists (select 1 from members m join groups g on g.id = m.group_id where g.name = ? and m.certain " +
			"and m.device_id = d.id)", []any{
			group,
		}
}

// record is a table of what happened, with the time by which it is narrowed.
type record struct{ table, time, columns string }

// latest lists records x of live devices d, latest first, from before an identifier.
func latest[T any](t querier, from record, n Narrow, where string, args []any, before int64, limit int) ([]T, error) {
	// Identifiers grow with time, so a time bounds them; some transactions take a moment to commit.
	const slack = 10 * time.Minute
	if !n.Since.IsZero() {
		where += " and x." + from.time + " >= ? and x.id >= coalesce((select id from " + from.table + " where " +
			from.time + " >= ? order by " + from.time + " limit 1), 9223372036854775807)"
		args = append(args, n.Since, n.Since.Add(-slack))
	}
	if !n.Until.IsZero() {
		where += " and x." + from.time + " < ? and x.id <= coalesce((select id from " + from.table + " where " +
			from.time + " <= ? order by " + from.time + " desc limit 1), 0)"
		args = append(args, n.Until, n.Until.Add(slack))
	}
	if n.Few != nil {
		query := "select " + from.columns + ", d.name as device from unnest(?::text[]) as few(id) cross " +
			"join lateral (select * from " + from.table +
			" x where x.device_id = few.id and x.id < ? and " + where +
			" order by x.id desc limit ?) x join devices d on d.id = x.device_id order by x.id desc limit ?"
		args = append(append([]any{n.Few, before}, args...), limit, limit)
		return rows[T](t, query, args...)
	}
	reach, reachArgs := inReach(n.Reach)
	group, groupArgs := inGroup(n.Group)
	query := "select " + from.columns + ", d.name as device from " + from.table +
		" x join devices d on d.id = x.device_id where x.id < ? and " + where +
		" and d.state = 'live' and " + reach + " and " + group + " order by x.id desc limit ?"
	args = append(append([]any{before}, args...), reachArgs...)
	args = append(append(args, groupArgs...), limit)
	return rows[T](t, query, args...)
}
