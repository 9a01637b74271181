package store

import (
	"iter"
	"strings"
	"time"

	"rankwarden.example/internal/wire/audit"
)

// Checkpoint is a signed statement of how far the trail went.
type Checkpoint struct {
	Seq      int64
	At       time.Time
	Hash     []byte
	Document string // signed
	KeyList  string // with the key that signed it
	MadeBy   string
}

// TrailFilter narrows the trail; what is empty narrows nothing.
type TrailFilter struct {
	Actor   string
	Action  string   // one, or a family: what stands before the full stop
	Objects []string // what was acted on, or a device that acted itself
	Outcome audit.Outcome
	Since   time.Time
	Until   time.Time
}

// where is the condition, with its arguments.
func (f TrailFilter) where() (string, []any) {
	terms, args := []string{"true"}, []any(nil)
	add := func(set bool, term string, values ...any) {
		if set {
			terms, args = append(terms, term), append(args, values...)
		}
	}
	add(f.Actor != "", "actor = ?", f.Actor)
	if strings.Contains(f.Action, ".") {
		add(true, "action = ?", f.Action)
	} else {
		add(f.Action != "", "action like ?", strings.NewReplacer("%", `\%`, "_", `\_`).Replace(f.Action)+".%")
	}
	if len(f.Objects) > 0 {
		actors := make([]string, len(f.Objects))
		for i, o := range f.Objects {
			actors[i] = "device:" + o
		}
		add(true, "(object = any(?::text[]) or actor = any(?::text[]))", f.Objects, actors)
	}
	add(f.Outcome != "", "outcome = ?", f.Outcome)
	add(!f.Since.IsZero(), "at >= ?", f.Since)
	add(!f.Until.IsZero(), "at < ?", f.Until)
	return strings.Join(terms, " and "), args
}

// Empty reports whether the filter narrows nothing.
func (f TrailFilter) Empty() bool {
	_, args := f.where()
	return len(args) == 0
}

// ListTrail lists a page of entries, latest first.
func (t TrailReader) ListTrail(f TrailFilter, p Page) ([]audit.Entry, string, error) {
	before := int64(1) << 62
	if err := p.after(&before); err != nil {
		return nil, "", err
	}
	where, args := f.where()
	found, err := rows[auditRow](t, "select * from audit_entries where seq < ? and "+where+" order by seq desc limit ?",
		append(append([]any{before}, args...), p.limit()+1)...)
	if err != nil {
		return nil, "", err
	}
	found, next := cut(p, found, func(r auditRow) []any { return []any{r.Seq} })
	return entries(found), next, nil
}

func entries(found []auditRow) []audit.Entry {
	list := make([]audit.Entry, len(found))
	for i, r := range found {
		list[i] = r.entry()
	}
	return list
}

// TrailAfter gives entries behind one in order, most at most.
func (t TrailReader) TrailAfter(seq int64, f TrailFilter, most int) ([]audit.Entry, error) {
	where, args := f.where()
	found, err := rows[auditRow](t, "select * from audit_entries where seq > ? and "+where+" order by seq limit ?",
		append(append([]any{seq}, args...), most)...)
	return entries(found), err
}

// TrailEntry reads one.
func (t TrailReader) TrailEntry(seq int64) (audit.Entry, error) {
	found, err := one[auditRow](t, "select * from audit_entries where seq = $1", seq)
	if err != nil {
		return audit.Entry{}, err
	}
	return found.entry(), nil
}

// TrailHead is the last entry; its sequence is 0 when there is none.
func (t TrailReader) TrailHead() (audit.Entry, error) {
	found, err := rows[auditRow](t, "select * from audit_entries order by seq desc limit 1")
	if err != nil || len(found) == 0 {
		return audit.Entry{}, err
	}
	return found[0].entry(), nil
}

// Trail gives the audit trail from its first entry, a few thousand at a time.
func (t TrailReader) Trail() iter.Seq2[audit.Entry, error] {
	const batch = 2000
	return func(yield func(audit.Entry, error) bool) {
		for last := int64(0); ; {
			list, err := t.TrailAfter(last, TrailFilter{}, batch)
			if err != nil {
				yield(audit.Entry{}, err)
				return
			}
			for _, e := range list {
				if !yield(e, nil) {
					return
				}
				last = e.Seq
			}
			if len(list) < batch {
				return
			}
		}
	}
}

// AddCheckpoint stores one; there is one at most for an entry.
func (t TrailWriter) AddCheckpoint(c Checkpoint) error {
	return t.exec(`insert into checkpoints (seq, at, hash, document, key_list, made_by) values ($1, $2, $3, $4, $5, $6)
		on conflict do nothing`, c.Seq, c.At, c.Hash, c.Document, c.KeyList, c.MadeBy)
}

// ListCheckpoints lists a page, latest first.
func (t TrailReader) ListCheckpoints(p Page) ([]Checkpoint, string, error) {
	before := int64(1) << 62
	if err := p.after(&before); err != nil {
		return nil, "", err
	}
	found, err := rows[Checkpoint](
		t,
		"select * from checkpoints where seq < $1 order by seq desc limit $2",
		before,
		p.limit()+1,
	)
	if err != nil {
		return nil, "", err
	}
	found, next := cut(p, found, func(c Checkpoint) []any { return []any{c.Seq} })
	return found, next, nil
}

// CheckpointsWithin are those that end behind one entry and at another at most, in order.
func (t TrailReader) CheckpointsWithin(after, last int64) ([]Checkpoint, error) {
	return rows[Checkpoint](t, "select * from checkpoints where seq > $1 and seq <= $2 order by seq", after, last)
}

// FoundBroken is the action under which it stands on the trail that the trail was found altered.
const FoundBroken = "trail.found_broken"

// TrailFoundBroken says why the trail is not what it was, as long as it was not signed since; empty where it is.
func (t TrailReader) TrailFoundBroken() (why string, err error) {
	found, err := rows[string](t, `select reason from audit_entries where action = $1 and
		at > coalesce((select max(at) from checkpoints), '-infinity') order by seq desc limit 1`, FoundBroken)
	if err != nil || len(found) == 0 {
		return "", err
	}
	return found[0], nil
}

// TrailIsProtected reports whether the role of the service can neither change nor delete entries of the trail.
func (t TrailReader) TrailIsProtected() (bool, error) {
	found, err := rows[bool](t, `select not (has_table_privilege('audit_entries', 'update') or
		has_table_privilege('audit_entries', 'delete') or has_table_privilege('audit_entries', 'truncate') or
		pg_has_role(current_user, (select relowner from pg_class where oid = 'audit_entries'::regclass), 'member'))`)
	if err != nil || len(found) == 0 {
		return false, err
	}
	return found[0], nil
}
