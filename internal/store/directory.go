package store

import (
	"strings"
	"time"

	"gorm.io/gorm/clause"

	"rankwarden.example/core/principal"
)

// DirectoryEntry is a person or group of the directory.
type DirectoryEntry struct {
	Ref       string `gorm:"primaryKey"` // canonical
	Kind      string // user or group
	Name      string // as the directory writes it
	Title     string
	SID       string  `gorm:"column:sid"`
	GUID      *string `gorm:"column:guid"`
	DN        string  `gorm:"column:dn"`
	Source    string  // the import or connection it came from
	UpdatedAt time.Time
	// GoneAt is when it vanished from its source; until it is let go it keeps its identifier. Nil while it is there.
	GoneAt *time.Time
}

// Entry is what core knows of it.
func (e DirectoryEntry) Entry() principal.Entry {
	var entry principal.Entry // what is stored is canonical, and reads back
	entry.Ref, _ = principal.Parse(e.Ref)
	entry.SID, _ = principal.ParseSID(e.SID)
	if e.GUID != nil {
		entry.GUID, _ = principal.ParseGUID(*e.GUID)
	}
	return entry
}

// DirectoryNames are the entries among some references, as the directory writes them.
func (t OrganisationReader) DirectoryNames(refs []string) ([]DirectoryEntry, error) {
	return rows[DirectoryEntry](t, "select ref, kind, name from directory_entries where ref = any($1) order by ref",
		refs)
}

// DirectoryEntries are all entries, by reference.
func (t OrganisationReader) DirectoryEntries() ([]DirectoryEntry, error) {
	return all[DirectoryEntry](t.db.Order("ref"))
}

// DirectoryIsEmpty reports whether no directory was ever imported.
func (t OrganisationReader) DirectoryIsEmpty() (bool, error) {
	found, err := rows[bool](t, "select not exists (select 1 from directory_entries)")
	return err == nil && len(found) == 1 && found[0], err
}

// DirectoryFor finds entries by reference, identifier or object, by reference.
func (t OrganisationReader) DirectoryFor(refs, sids, guids []string) ([]DirectoryEntry, error) {
	if len(refs)+len(sids)+len(guids) == 0 {
		return nil, nil
	}
	return all[DirectoryEntry](
		t.db.Where("ref = any(?) or sid = any(?) or guid = any(?)", array[string](refs), array[string](sids),
			array[string](guids)).
			Order("ref"),
	)
}

// maxNear is how many entries that look alike are worth a closer look.
const maxNear = 20

// DirectoryNear finds entries whose reference looks like the one given, the likeliest first.
func (t OrganisationReader) DirectoryNear(ref string) ([]DirectoryEntry, error) {
	return rows[DirectoryEntry](
		t,
		"select * from directory_entries where gone_at is null and (ref || ' ' || title) %> $1 "+
			"order by similarity(ref, $2) desc, ref limit $3",
		ref,
		ref,
		maxNear,
	)
}

// PutDirectory stores entries over what is there under the same reference.
func (t InForceWriter) PutDirectory(entries []DirectoryEntry) error {
	for len(entries) > 0 {
		n := min(len(entries), 2000)
		if err := translate(t.db.Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "ref"}}, UpdateAll: true}).
			Create(entries[:n]).Error); err != nil {
			return err
		}
		entries = entries[n:]
	}
	return nil
}

// MarkGone notes that entries vanished from their source.
func (t InForceWriter) MarkGone(refs []string, at time.Time) error {
	return t.exec("update directory_entries set gone_at = $2 where ref = any($1::text[]) and gone_at is null", refs, at)
}

// GoneBefore are entries that vanished before a time.
func (t OrganisationReader) GoneBefore(before time.Time) ([]DirectoryEntry, error) {
	return all[DirectoryEntry](t.db.Where("gone_at < ?", before).Order("ref"))
}

// RemoveDirectory removes entries by reference.
func (t InForceWriter) RemoveDirectory(refs []string) error {
	return t.exec("delete from directory_entries where ref = any($1::text[])", refs)
}

// identifierIn is the security or object identifier that a word of a search is, with its prefix or without.
func identifierIn(word string) (sid, guid string) {
	if s, err := principal.ParseSID(strings.TrimPrefix(word, "sid:")); err == nil {
		return s.String(), ""
	}
	if g, err := principal.ParseGUID(strings.TrimPrefix(word, "guid:")); err == nil {
		return "", g.String()
	}
	return "", ""
}

// ListDirectory lists a page by reference; search is any part of a name or title, or an identifier; kind narrows it.
func (t OrganisationReader) ListDirectory(search, kind string, p Page) ([]DirectoryEntry, string, error) {
	var after string
	if err := p.after(&after); err != nil {
		return nil, "", err
	}
	q := t.db.Where("ref > ?", after)
	for _, word := range strings.Fields(search) {
		switch sid, guid := identifierIn(word); {
		case sid != "":
			q = q.Where("sid = ?", sid)
		case guid != "":
			q = q.Where("guid = ?", guid)
		default:
			q = q.Where("(ref || ' ' || title) ilike ?", like(word))
		}
	}
	if kind != "" {
		q = q.Where("kind = ?", kind)
	}
	list, err := all[DirectoryEntry](q.Order("ref").Limit(p.limit() + 1))
	list, next := cut(p, list, func(e DirectoryEntry) []any { return []any{e.Ref} })
	return list, next, err
}

// DirectorySync is the last run of the connection to a directory.
type DirectorySync struct {
	StartedAt time.Time
	EndedAt   *time.Time
	Entries   int
	Added     int
	Changed   int
	Removed   int
	Altering  int // devices that the reading would have altered, when it waits for a decision because of that
	Losing    int // entries in use that the reading lacked, when it waits for a decision because of that
	Error     string
}

// DirectorySync reads it.
func (t OrganisationReader) DirectorySync() (DirectorySync, error) {
	return first[DirectorySync](t.db.Table("directory_sync"))
}

// SetDirectorySync stores it.
func (t OrganisationWriter) SetDirectorySync(s DirectorySync) error {
	return t.exec(
		`insert into directory_sync (id, started_at, ended_at, entries, added, changed, removed, error, losing,
			altering)
		values (true, $1, $2, $3, $4, $5, $6, $7, $8, $9) on conflict (id) do update
		set started_at = excluded.started_at,
		ended_at = excluded.ended_at,
		entries = excluded.entries, added = excluded.added, changed = excluded.changed, removed = excluded.removed,
		error =
		excluded.error, losing = excluded.losing, altering = excluded.altering`,
		s.StartedAt,
		s.EndedAt,
		s.Entries,
		s.Added,
		s.Changed,
		s.Removed,
		s.Error,
		s.Losing,
		s.Altering,
	)
}
