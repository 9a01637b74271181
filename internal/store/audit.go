package store

import (
	"encoding/json"
	"time"

	"rankwarden.example/internal/wire/audit"
)

type auditRow struct {
	Seq                                    int64
	Version                                int
	At                                     time.Time
	Actor, Address, Action, Object, Reason string
	Before, After                          *string
	Outcome                                audit.Outcome
	Prev, Hash                             []byte
}

// AppendAudit links an entry to the trail. Appending is serialised by a lock that is held until
// the transaction ends, so call it last.
func (t TrailWriter) AppendAudit(e audit.Entry) error {
	const trailLock = 8470_2
	if err := t.exec("select pg_advisory_xact_lock($1)", trailLock); err != nil {
		return err
	}
	heads, err := rows[auditRow](t, "select seq, hash from audit_entries order by seq desc limit 1")
	if err != nil {
		return err
	}
	head := auditRow{Hash: []byte{}}
	if len(heads) == 1 {
		head = heads[0]
	}
	if err := e.Link(head.Seq, head.Hash); err != nil {
		return err
	}
	text := func(raw json.RawMessage) *string {
		if len(raw) == 0 {
			return nil
		}
		s := string(raw)
		return &s
	}
	return t.exec(
		`insert into audit_entries (seq, at, actor, address, action, object, before, after, reason, outcome, prev, hash,
			version)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13)`,
		e.Seq,
		e.At,
		e.Actor,
		e.Address,
		e.Action,
		e.Object,
		text(e.Before),
		text(e.After),
		e.Reason,
		e.Outcome,
		e.Prev,
		e.Hash,
		e.Version,
	)
}

// auditWindow is how many of the latest entries are looked through for those of a list.
const auditWindow = 2000

// RecentAudit gives the latest entries since a time of what was done: to policies, assignments and groups
// only, or to all but sessions and devices where whoever asks may read the whole trail.
func (t TrailReader) RecentAudit(since time.Time, limit int, whole bool) ([]audit.Entry, error) {
	which := "(action like 'policy.%' or action like 'assignment.%' or action like 'group.%')"
	if whole {
		which = "action not like 'session.%' and action not like 'device.%'"
	}
	records, err := rows[auditRow](
		t,
		`with latest as materialized (select * from audit_entries where outcome = 'done' order by seq desc limit $1)
		select * from latest where at >= $2 and `+which+` order by seq desc limit $3`,
		auditWindow,
		since,
		limit,
	)
	return entries(records), err
}

func (r auditRow) entry() audit.Entry {
	raw := func(s *string) json.RawMessage {
		if s == nil {
			return nil
		}
		return json.RawMessage(*s)
	}
	return audit.Entry{
		Version: r.Version,
		Seq:     r.Seq,
		At:      r.At,
		Actor:   r.Actor,
		Address: r.Address,
		Action:  r.Action,
		Object:  r.Object,
		Before:  raw(r.Before),
		After:   raw(r.After),
		Reason:  r.Reason,
		Outcome: r.Outcome,
		Prev:    r.Prev,
		Hash:    r.Hash,
	}
}
