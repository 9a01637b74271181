package service

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/directory"
	"rankwarden.example/internal/store"
)

// MaxLDIF is the largest LDIF file that is imported, in bytes.
const MaxLDIF = 15 << 20

// Sources of directory entries.
const (
	sourceImport     = "import"
	sourceConnection = "connection"
)

// DirectoryChange says what an import or a run of the connection did.
type DirectoryChange struct {
	Entries int // people and groups that were read
	Added   int
	Changed int
	Removed int // that vanished; they keep their identifiers until they are let go
	Skipped []directory.Skipped
	losing  int // entries in use that are lacking, when that waits for a decision
}

// Directory lists a page of people and groups; search is any part of a name.
func (s *Service) Directory(ctx context.Context, search, kind string, p store.Page) ([]store.DirectoryEntry, string, error) {
	return s.Store.With(ctx).ListDirectory(search, kind, p)
}

// ImportDirectory takes people and groups from an LDIF file. With replace, what an earlier import
// brought and this one lacks has vanished; without accept it is refused when that are many in use.
func (s *Service) ImportDirectory(ctx context.Context, who auth.Identity, source []byte, replace, accept bool) (DirectoryChange, error) {
	entries, skipped, err := directory.ParseLDIF(source)
	if err != nil {
		return DirectoryChange{}, failf(Invalid, "%v", err).code("bad_ldif")
	}
	if len(entries) == 0 {
		return DirectoryChange{}, failf(Invalid, "the file has no person or group that can be used: %s", reasons(skipped)).code("empty_ldif")
	}
	var change DirectoryChange
	err = s.InTx(ctx, func(tx store.Tx) error {
		if change, err = s.mergeDirectory(tx, sourceImport, entries, replace, accept); err != nil {
			return err
		}
		return s.audit(tx, who, record{action: "directory.imported", object: "directory",
			after: map[string]any{"entries": change.Entries, "added": change.Added, "changed": change.Changed, "removed": change.Removed, "skipped": len(skipped)}})
	})
	change.Skipped = skipped
	return change, err
}

func reasons(skipped []directory.Skipped) string {
	if len(skipped) == 0 {
		return "none of its entries is a person or a group"
	}
	return fmt.Sprintf("%s: %s", skipped[0].DN, skipped[0].Why)
}

// SyncDirectory reads the directory over the connection once and takes what changed. A reading that lacks
// many entries in use waits for a decision, unless it is accepted. Only one replica does at a time.
func (s *Service) SyncDirectory(ctx context.Context, accept bool) (DirectoryChange, error) {
	var change DirectoryChange
	if s.DirectoryConnection == nil {
		return change, failf(Conflict, "no connection to a directory is set; start the service with --directory-url")
	}
	mine, err := s.Store.Exclusively(ctx, store.LockDirectory, func(ctx context.Context) error {
		run := store.DirectorySync{StartedAt: s.Now()}
		if err := s.Store.With(ctx).SetDirectorySync(run); err != nil {
			return err
		}
		entries, skipped, err := s.DirectoryConnection.Fetch(ctx)
		if err == nil && len(entries) == 0 {
			err = errors.New("the directory gave no person or group; nothing was changed")
		}
		if err == nil {
			err = s.InTx(ctx, func(tx store.Tx) error {
				if change, err = s.mergeDirectory(tx, sourceConnection, entries, true, accept); err != nil || change.Added+change.Changed+change.Removed == 0 {
					return err
				}
				return s.audit(tx, itself, record{action: "directory.kept_in_step", object: "directory",
					after: map[string]any{"entries": change.Entries, "added": change.Added, "changed": change.Changed, "removed": change.Removed}})
			})
		}
		change.Skipped = skipped
		run.Losing = change.losing
		ended := s.Now()
		run.EndedAt, run.Entries, run.Added, run.Changed, run.Removed = &ended, change.Entries, change.Added, change.Changed, change.Removed
		if err != nil {
			run.Error = err.Error()
		}
		return errors.Join(err, s.Store.With(context.WithoutCancel(ctx)).SetDirectorySync(run))
	})
	if err == nil && !mine {
		return change, errReadElsewhere
	}
	if errors.Is(err, directory.ErrConnection) {
		return change, failf(Conflict, "%v", err).code("directory_unreachable")
	}
	return change, err
}

var errReadElsewhere = failf(Conflict, "the directory is being read by another replica just now; wait until it is done")

// DirectoryState is the last run of the connection; it is false while there was none.
func (s *Service) DirectoryState(ctx context.Context) (store.DirectorySync, bool, error) {
	run, err := s.Store.With(ctx).DirectorySync()
	if errors.Is(err, store.ErrNotFound) {
		return run, false, nil
	}
	return run, err == nil, err
}

// DirectoryLoop keeps the directory in step until the context ends.
func (s *Service) DirectoryLoop(ctx context.Context, every time.Duration) {
	for {
		change, err := s.SyncDirectory(ctx, false)
		switch {
		case ctx.Err() != nil:
			return
		case errors.Is(err, errReadElsewhere):
		case err != nil:
			s.Log.Warn("the directory could not be read; it will be tried again", "error", err, "in", every)
		default:
			s.Log.Info("directory read", "entries", change.Entries, "added", change.Added, "changed", change.Changed, "removed", change.Removed, "skipped", len(change.Skipped))
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(every):
		}
	}
}

// mergeDirectory stores what is new or changed, removes what a source no longer has, and asks for
// the devices that it touches to be settled. An object that was renamed is known by its identifiers.
func (s *Service) mergeDirectory(tx store.Tx, source string, entries []directory.Entry, replace, accept bool) (DirectoryChange, error) {
	change := DirectoryChange{Entries: len(entries)}
	stored, err := tx.DirectoryEntries()
	if err != nil {
		return change, err
	}
	index := indexDirectory(stored)
	now := s.Now()
	kept := map[string]bool{}
	var put []store.DirectoryEntry
	var gone []string
	touched := map[string]bool{}
	for _, e := range entries {
		next := recordOf(e, source, now)
		former := index.former(next)
		kept[next.Ref] = true
		for _, f := range former {
			if f.Ref != next.Ref {
				gone = append(gone, f.Ref)
				touch(touched, f)
			}
		}
		switch {
		case len(former) == 0:
			change.Added++
		case len(former) == 1 && sameEntry(former[0], next):
			continue
		default:
			change.Changed++
		}
		if f := index.byRef[next.Ref]; f == nil || f.SID != next.SID || deref(f.GUID) != deref(next.GUID) {
			touch(touched, next)
			if f != nil {
				touch(touched, *f)
			}
		}
		put = append(put, next)
	}
	replaced := map[string]bool{}
	for _, ref := range gone {
		replaced[ref] = true
	}
	var vanished []store.DirectoryEntry
	for _, f := range stored {
		if replace && f.Source == source && !kept[f.Ref] && !replaced[f.Ref] && f.GoneAt == nil {
			vanished = append(vanished, f)
			change.Removed++
		}
	}
	if err := s.mayVanish(tx, vanished, accept, &change); err != nil {
		return change, err
	}
	refs := make([]string, len(vanished))
	for i, f := range vanished {
		refs[i] = f.Ref
	}
	if err := tx.MarkGone(refs, now); err != nil {
		return change, err
	}
	if err := tx.RemoveDirectory(gone); err != nil {
		return change, err
	}
	if err := tx.PutDirectory(put); err != nil {
		return change, err
	}
	return change, s.directoryTouched(tx, touched)
}

// directoryIndex finds stored entries by each of their names.
type directoryIndex struct {
	byRef, bySID, byGUID map[string]*store.DirectoryEntry
}

func indexDirectory(stored []store.DirectoryEntry) directoryIndex {
	index := directoryIndex{map[string]*store.DirectoryEntry{}, map[string]*store.DirectoryEntry{}, map[string]*store.DirectoryEntry{}}
	for i := range stored {
		e := &stored[i]
		index.byRef[e.Ref], index.bySID[e.SID] = e, e
		if e.GUID != nil {
			index.byGUID[*e.GUID] = e
		}
	}
	return index
}

// former are the stored entries that an entry takes the place of, each once.
func (x directoryIndex) former(e store.DirectoryEntry) []store.DirectoryEntry {
	var found []store.DirectoryEntry
	for _, f := range []*store.DirectoryEntry{x.byRef[e.Ref], x.bySID[e.SID], x.byGUID[deref(e.GUID)]} {
		if f != nil && !slices.ContainsFunc(found, func(o store.DirectoryEntry) bool { return o.Ref == f.Ref }) {
			found = append(found, *f)
		}
	}
	return found
}

func recordOf(e directory.Entry, source string, now time.Time) store.DirectoryEntry {
	r := store.DirectoryEntry{Ref: e.Ref.String(), Kind: e.Ref.Kind().String(), Name: e.Name, Title: e.Title, SID: e.SID.String(), DN: e.DN, Source: source, UpdatedAt: now}
	if !e.GUID.IsZero() {
		r.GUID = new(e.GUID.String())
	}
	return r
}

func sameEntry(a, b store.DirectoryEntry) bool {
	return a.Ref == b.Ref && a.Name == b.Name && a.Title == b.Title && a.SID == b.SID && deref(a.GUID) == deref(b.GUID) && a.DN == b.DN && a.Source == b.Source && (a.GoneAt == nil) == (b.GoneAt == nil)
}

func deref(s *string) string {
	if s == nil {
		return ""
	}
	return *s
}

// touch notes all ways in which a policy may name an entry.
func touch(touched map[string]bool, e store.DirectoryEntry) {
	touched[e.Ref] = true
	touched["sid:"+e.SID] = true
	if e.GUID != nil {
		touched["guid:"+*e.GUID] = true
	}
}

// mostVanished is the share of the entries in use that a reading may lack without a decision, in percent.
const mostVanished = 2

// mayVanish refuses a reading that lacks more than a few of the entries that policies in force name, unless
// that was accepted: more likely the reading is wrong.
func (s *Service) mayVanish(tx store.Tx, vanished []store.DirectoryEntry, accept bool, change *DirectoryChange) error {
	if accept || len(vanished) == 0 {
		return nil
	}
	used, err := s.principalsInForce(tx)
	if err != nil {
		return err
	}
	lost := 0
	for _, f := range vanished {
		names := map[string]bool{}
		touch(names, f)
		for name := range names {
			if used[name] {
				lost++
				break
			}
		}
	}
	if lost*100 > mostVanished*len(used) {
		change.losing = lost
		return failf(Conflict, "this reading lacks %d of the %d people and groups that policies in force name, so nothing was taken from it. If that is right, give it again and accept it", lost, len(used)).code("directory_loses")
	}
	return nil
}

// principalsInForce are the people and groups that policies in force name, as they are written there.
func (s *Service) principalsInForce(tx store.Tx) (map[string]bool, error) {
	assignments, err := tx.Assignments()
	used := map[string]bool{}
	for _, a := range assignments {
		doc, err := s.document(tx, revisionKey{a.PolicyID, a.Revision})
		if errors.Is(err, errUnreadable) {
			continue
		}
		if err != nil {
			return nil, err
		}
		for _, ref := range doc.Principals() {
			if ref.Kind().InDirectory() || ref.Kind() == principal.Bare || ref.Kind() == principal.Object {
				used[ref.String()] = true
			}
		}
	}
	return used, err
}

// vanishedAfter is how long somebody who vanished from the directory keeps the identifier.
const vanishedAfter = 30 * day

// LetGo removes people and groups that vanished from the directory: one by name, at once; or without a name
// all that vanished long ago. Policies that name them have nobody there then.
func (s *Service) LetGo(ctx context.Context, who auth.Identity, ref string) error {
	return s.InTx(ctx, func(tx store.Tx) error {
		before := s.Now().Add(-vanishedAfter)
		if ref != "" {
			before = s.Now().Add(day)
		}
		gone, err := tx.GoneBefore(before)
		if err != nil {
			return err
		}
		touched, refs := map[string]bool{}, []string{}
		for _, e := range gone {
			if ref == "" || e.Ref == ref {
				touch(touched, e)
				refs = append(refs, e.Ref)
			}
		}
		if len(refs) == 0 {
			if ref == "" {
				return nil
			}
			return failf(NotFound, "%q has not vanished from the directory; only who has can be let go", ref)
		}
		if err := tx.RemoveDirectory(refs); err != nil {
			return err
		}
		if err := s.directoryTouched(tx, touched); err != nil {
			return err
		}
		return s.audit(tx, who, record{action: "directory.let_go", object: "directory", after: map[string]any{"entries": refs}})
	})
}

// directoryTouched asks for the devices of every assignment to be settled whose policy names
// somebody that changed.
func (s *Service) directoryTouched(tx store.Tx, touched map[string]bool) error {
	if len(touched) == 0 {
		return nil
	}
	assignments, err := tx.Assignments()
	if err != nil {
		return err
	}
	var groups []string
	for _, a := range assignments {
		doc, err := s.document(tx, revisionKey{a.PolicyID, a.Revision})
		if errors.Is(err, errUnreadable) {
			continue // its devices are not settled before it can be read
		}
		if err != nil {
			return err
		}
		if slices.ContainsFunc(doc.Principals(), func(ref principal.Ref) bool { return touched[ref.String()] }) {
			groups = append(groups, a.Include...)
		}
	}
	if err := tx.Notify(store.Notice{Topic: store.TopicEdits}); err != nil || len(groups) == 0 {
		return err
	}
	return tx.RequestSettle(store.SettleRequest{Cause: "directory changed", Groups: sortedSet(groups), CreatedAt: s.Now()})
}
