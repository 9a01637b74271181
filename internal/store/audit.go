package store

import (
	"encoding/hex"
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

// AppendAudit links entries to the trail, in their order. Appending is serialised by a lock that is held until
// the transaction ends, so call it last, and once: the lock is held for one statement and the end.
func (t TrailWriter) AppendAudit(entries ...audit.Entry) error {
	if len(entries) == 0 {
		return nil
	}
	heads, err := rows[auditRow](t, "select seq, hash from trail_head()")
	if err != nil {
		return err
	}
	head := auditRow{Hash: []byte{}}
	if len(heads) == 1 {
		head = heads[0]
	}
	for i := range entries {
		if err := entries[i].Link(head.Seq, head.Hash); err != nil {
			return err
		}
		head.Seq, head.Hash = entries[i].Seq, entries[i].Hash
	}
	if len(entries) == 1 {
		return t.addEntry(entries[0])
	}
	return t.addEntries(entries)
}

// addEntry stores one: most works have one, and a statement for any number takes longer.
func (t TrailWriter) addEntry(e audit.Entry) error {
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
		e.Seq, e.At, e.Actor, e.Address, e.Action, e.Object, text(e.Before), text(e.After), e.Reason, e.Outcome, e.Prev,
		e.Hash, e.Version)
}

func (t TrailWriter) addEntries(entries []audit.Entry) error {
	var seqs, versions array[int64]
	var texts [11]array[string]
	for _, e := range entries {
		seqs, versions = append(seqs, e.Seq), append(versions, int64(e.Version))
		for i, text := range [11]string{
			e.At.UTC().Format(toMicroseconds), e.Actor, e.Address, e.Action, e.Object, string(e.Before),
			string(e.After), e.Reason, string(e.Outcome), hex.EncodeToString(e.Prev), hex.EncodeToString(e.Hash),
		} {
			texts[i] = append(texts[i], text)
		}
	}
	args := []any{seqs, versions}
	for _, list := range texts {
		args = append(args, list)
	}
	return t.exec(`insert into audit_entries (seq, version, at, actor, address, action, object, before, after, reason,
			outcome, prev, hash)
		select seq, version, at, actor, address, action, object, nullif(before, '')::jsonb, nullif(after, '')::jsonb,
			reason, outcome, decode(prev, 'hex'), decode(hash, 'hex')
		from unnest($1::bigint[], $2::int[], $3::timestamptz[], $4::text[], $5::text[], $6::text[], $7::text[], $8::text[],
			$9::text[], $10::text[], $11::text[], $12::text[], $13::text[]) as e(seq, version, at, actor, address, action,
			object, before, after, reason, outcome, prev, hash)`, args...)
}

// toMicroseconds is how a time is written, to what PostgreSQL keeps of it.
const toMicroseconds = "2006-01-02T15:04:05.000000Z"

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
