package changes

import (
	"errors"
	"maps"
	"slices"
	"time"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/effect"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/directory"
)

// merge stores what is new or changed, removes what a source no longer has, and asks for
// the devices that it touches to be settled. An object that was renamed is known by its identifiers.
func (s *Service) merge(
	tx Records, w *uow.Work, source string, entries []directory.Entry, replace, accept bool,
) (DirectoryChange, error) {
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
			change.alters = append(change.alters, Altered{next.Ref, "entry", "", "is new"})
		case len(former) == 1 && sameEntry(former[0], next):
			continue
		default:
			change.Changed++
			change.alters = append(change.alters, alteredEntry(former[0], next)...)
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
			change.alters = append(change.alters, Altered{f.Ref, "entry", f.DN, "vanished"})
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
	if err := tellMembers(tx, stored, entries); err != nil {
		return change, err
	}
	change.touched = touched
	if err := groupsOfUsers(tx, w); err != nil {
		return change, err
	}
	return change, s.directoryTouched(tx, w, touched)
}

// groupsOfUsers works out anew of which groups the primary users of devices are, and the groups of devices that ask for
// that.
func groupsOfUsers(tx Records, w *uow.Work) error {
	altered, err := tx.SetUserGroups(nil)
	if err != nil || len(altered) == 0 {
		return err
	}
	return devicegroups.FactsChanged(tx, w, "groups of the directory changed", altered)
}

// tellMembers stores who is in the groups of a reading. Only rules over the groups of a primary user decide by it: a
// policy names groups, and a device knows its directory.
func tellMembers(tx Records, stored []store.DirectoryEntry, entries []directory.Entry) error {
	byDN := map[string]string{}
	for _, e := range stored {
		byDN[directory.NormalDN(e.DN)] = e.Ref
	}
	for _, e := range entries {
		byDN[directory.NormalDN(e.DN)] = e.Ref.String()
	}
	var groups []string
	members := map[store.DirectoryMember]bool{}
	for _, e := range entries {
		if e.Ref.Kind() != principal.Group {
			continue
		}
		groups = append(groups, e.Ref.String())
		for _, dn := range e.Members {
			if ref, known := byDN[dn]; known {
				members[store.DirectoryMember{GroupRef: e.Ref.String(), MemberRef: ref}] = true
			}
		}
	}
	if len(groups) == 0 {
		return nil
	}
	return tx.SetDirectoryMembers(groups, slices.Collect(maps.Keys(members)))
}

// directoryIndex finds stored entries by each of their names.
type directoryIndex struct {
	byRef, bySID, byGUID map[string]*store.DirectoryEntry
}

func indexDirectory(stored []store.DirectoryEntry) directoryIndex {
	index := directoryIndex{
		map[string]*store.DirectoryEntry{},
		map[string]*store.DirectoryEntry{},
		map[string]*store.DirectoryEntry{},
	}
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
	r := store.DirectoryEntry{
		Ref:       e.Ref.String(),
		Kind:      e.Ref.Kind().String(),
		Name:      e.Name,
		Title:     e.Title,
		SID:       e.SID.String(),
		DN:        e.DN,
		Source:    source,
		UpdatedAt: now,
	}
	if !e.GUID.IsZero() {
		r.GUID = new(e.GUID.String())
	}
	return r
}

// alteredEntry says what is another one in an entry. One that is told to be there again says no more than that.
func alteredEntry(before, after store.DirectoryEntry) []Altered {
	var list []Altered
	for _, of := range []Altered{
		{after.Ref, "reference", before.Ref, after.Ref},
		{after.Ref, "name", before.Name, after.Name},
		{after.Ref, "title", before.Title, after.Title},
		{after.Ref, "identifier", before.SID, after.SID},
		{after.Ref, "object identifier", deref(before.GUID), deref(after.GUID)},
		{after.Ref, "place", before.DN, after.DN},
	} {
		if of.Before != of.After {
			list = append(list, of)
		}
	}
	if before.GoneAt != nil {
		list = append(list, Altered{after.Ref, "entry", "vanished", "is there again"})
	}
	return list
}

func sameEntry(a, b store.DirectoryEntry) bool {
	return a.Ref == b.Ref && a.Name == b.Name && a.Title == b.Title && a.SID == b.SID &&
		deref(a.GUID) == deref(b.GUID) &&
		a.DN == b.DN &&
		a.Source == b.Source &&
		(a.GoneAt == nil) == (b.GoneAt == nil)
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
func (s *Service) mayVanish(tx Records, vanished []store.DirectoryEntry, accept bool, change *DirectoryChange) error {
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
		return refusal.New(refusal.Conflict, "this reading lacks %d of the %d people and groups that policies in "+
			"force name, so nothing was taken from it. If that is right, give it again and accept it", lost, len(used)).
			WithCode("directory_loses")
	}
	return nil
}

// principalsInForce are the people and groups that policies in force name, as they are written there.
func (s *Service) principalsInForce(tx Reads) (map[string]bool, error) {
	assignments, err := tx.Assignments()
	used := map[string]bool{}
	for _, a := range assignments {
		doc, err := s.Documents.Of(tx, a.PolicyID, a.Revision)
		if errors.Is(err, cache.ErrUnreadable) {
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

// othersMeant gives the ways in that an import opens by saying who somebody is: whoever a policy in force puts into a
// privileged local group by a name that means another identifier now.
func (s *Service) othersMeant(tx Records, change DirectoryChange) (effect.AccessSet, error) {
	meant := effect.AccessSet{}
	if len(change.touched) == 0 {
		return meant, nil
	}
	assignments, err := tx.Assignments()
	for _, a := range assignments {
		doc, err := s.Documents.Of(tx, a.PolicyID, a.Revision)
		if errors.Is(err, cache.ErrUnreadable) || a.Stance != string(assign.Enforce) {
			continue
		}
		if err != nil {
			return nil, err
		}
		for _, ask := range doc.Normalise(nil).Asks {
			claim, is := ask.Value.(unit.Statement)
			if !is || !ask.Unit.IsPrivileged() {
				continue
			}
			for _, ref := range claim.Members {
				if change.touched[ref.String()] {
					meant.Add(effect.AccessEffect{Access: effect.AdministratorGained, Unit: ask.Unit,
						Subject: ref.String()}, effect.Anyone)
				}
			}
		}
	}
	return meant, err
}

// directoryTouched asks for the devices of every assignment to be settled whose policy names
// somebody that changed.
func (s *Service) directoryTouched(tx Records, w *uow.Work, touched map[string]bool) error {
	if len(touched) == 0 {
		return nil
	}
	assignments, err := tx.Assignments()
	if err != nil {
		return err
	}
	var groups []string
	for _, a := range assignments {
		doc, err := s.Documents.Of(tx, a.PolicyID, a.Revision)
		if errors.Is(err, cache.ErrUnreadable) {
			continue // its devices are not settled before it can be read
		}
		if err != nil {
			return err
		}
		if slices.ContainsFunc(doc.Principals(), func(ref principal.Ref) bool { return touched[ref.String()] }) {
			groups = append(groups, a.Include...)
		}
	}
	w.Tell(store.TopicEdits)
	if len(groups) > 0 {
		w.Settle("directory changed", text.Set(groups), nil)
	}
	return nil
}
