// Package accounts answers questions about what is there: which local accounts devices have, and who is in their local
// groups, asked for by a policy or not. What devices said last is the source; see [inventory] for how it is taken.
//
// Errors that are meant for the caller are of type [*refusal.Error].
package accounts

import (
	"context"
	"maps"
	"slices"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// Service is the room.
type Service struct {
	uow.Room[Reads, Records]

	View *fleetview.View
}

// Reads is what this room reads of the records. [store.Reader] has it.
type Reads interface {
	reach.Records

	DirectoryAround(refs []principal.Ref) (*principal.Table, error)
	DirectoryTable(refs []principal.Ref) (*principal.Table, error)
	GroupsAround(ref string) ([]store.NestedEntry, error)
	PeopleWithin(groups []string) ([]store.NestedEntry, error)
	LanesByDigest(digests []string) ([]store.Scope, error)
	ScopesOf(devices []string) (map[string]string, error)
	ListAccountsNamed(reach rights.Reach, name string, p store.Page) ([]store.LocalAccount, string, error)
	ListInventoryChanges(device string, p store.Page) ([]store.InventoryChange, string, error)
	ListMemberships(
		reach rights.Reach, sids []string, local string, all bool, p store.Page,
	) ([]store.LocalMember, string, error)
	OnlyBy(reach rights.Reach, sids []string, most int) ([]string, error)
	PrivilegedOf(device string) ([]store.LocalMember, error)
}

// Records is what it reads and writes of them in a unit of work: nothing is written. [store.Writer] has it.
type Records interface {
	Reads
	uow.Records
}

// Names lists names of local accounts, with how many devices in reach have one.
func (s *Service) Names(
	ctx context.Context, who rights.Identity, group string, f fleetview.AccountFilter, p store.Page,
) ([]store.AccountName, string, error) {
	if err := devicegroups.Asked(s.Read(ctx), group); err != nil {
		return nil, "", err
	}
	after, err := p.AfterAccountName()
	if err != nil {
		return nil, "", err
	}
	list := s.View.AccountNames(s.Clock(), fleetview.Filter{Reach: who.Reach(rights.Look), Group: group}, f, after,
		p.Fits()+1)
	page, next := store.CutAccountNames(p, list)
	return page, next, nil
}

// Named lists the accounts of one name on devices in reach.
func (s *Service) Named(
	ctx context.Context, who rights.Identity, name string, p store.Page,
) ([]store.LocalAccount, string, error) {
	return s.Read(ctx).ListAccountsNamed(who.Reach(rights.Look), name, p)
}

// Where lists on which devices in reach a principal is in local groups: in those whose members can take the device
// over, or in any. A bare name is that of a local account. Whoever of the directory is in through groups of it is found
// too, with the way.
func (s *Service) Where(
	ctx context.Context, who rights.Identity, name string, all bool, p store.Page,
) ([]store.LocalMember, string, error) {
	tx := s.Read(ctx)
	sids, local, through, err := identified(tx, name)
	if err != nil {
		return nil, "", err
	}
	list, next, err := tx.ListMemberships(who.Reach(rights.Look), sids, local, all, p)
	if err != nil {
		return nil, "", err
	}
	for i, m := range list {
		list[i].Through = through[m.SID]
	}
	if err := nameThose(tx, list); err != nil {
		return nil, "", err
	}
	return list, next, tellWanted(tx, list)
}

// nameThose names members that are no accounts of their device as the directory knows them.
func nameThose(tx Reads, list []store.LocalMember) error {
	refs := map[principal.Ref]bool{}
	for _, m := range list {
		if sid, err := principal.ParseSID(m.SID); err == nil && !m.Local {
			refs[principal.FromSID(sid)] = true
		}
	}
	if len(refs) == 0 {
		return nil
	}
	table, err := tx.DirectoryAround(slices.Collect(maps.Keys(refs)))
	if err != nil {
		return err
	}
	for i, m := range list {
		sid, err := principal.ParseSID(m.SID)
		if err != nil || m.Local {
			continue
		}
		if ref, known := table.Ref(sid); known {
			list[i].Name = ref.Value()
		}
	}
	return nil
}

// identified gives the identifiers of whoever is named and of the groups of the directory that hold them, each of these
// with the way there, or the name of a local account. A bare identifier is understood without its prefix.
func identified(tx Reads, name string) (sids []string, local string, through map[string][]string, err error) {
	if sid, wrong := principal.ParseSID(name); wrong == nil {
		name = principal.FromSID(sid).String()
	}
	ref, err := principal.Parse(name)
	if err != nil && text.Fold(name) != "" {
		ref, err = principal.Parse("local:" + name)
	}
	if err != nil {
		return nil, "", nil, refusal.New(refusal.Invalid, "%v", err).At("principal").Asked()
	}
	switch ref.Kind() {
	case principal.Local:
		return nil, ref.Value(), nil, nil
	case principal.Bare, principal.User, principal.Group, principal.Object:
		return ofDirectory(tx, ref)
	}
	return nil, "", nil, refusal.New(refusal.Invalid, "%s is another account on each device; give a person or group "+
		"of the directory, sid:S-1-…, or the name of a local account", ref).At("principal").Asked()
}

// ofDirectory is [identified] for somebody of the directory; an identifier may be one that the directory does not know.
func ofDirectory(tx Reads, ref principal.Ref) (sids []string, local string, through map[string][]string, err error) {
	table, err := tx.DirectoryAround([]principal.Ref{ref})
	if err != nil {
		return nil, "", nil, err
	}
	if found, is := table.Object(objectOf(ref)); is {
		ref = found
	}
	if ref.Kind() == principal.Bare {
		found, known := table.Ref(ref.SID())
		if !known {
			return []string{ref.Value()}, "", nil, nil
		}
		ref = found
	}
	sid, known := table.SID(ref)
	if !known {
		return nil, "", nil, refusal.New(refusal.Invalid, "the directory does not know %s; import it, or give the "+
			"identifier: sid:S-1-…", ref).At("principal").Asked()
	}
	groups, err := tx.GroupsAround(ref.String())
	sids, through = []string{sid.String()}, map[string][]string{}
	for _, g := range groups {
		sids = append(sids, g.SID)
		through[g.SID] = g.Path
	}
	return sids, "", through, err
}

func objectOf(ref principal.Ref) principal.GUID {
	guid, err := principal.ParseGUID(ref.Value())
	if err != nil {
		return principal.GUID{} // it is no object
	}
	return guid
}

// Administrators lists who is in local groups of a device whose members can take it over. People who are in through
// groups of the directory follow their group, with the way.
func (s *Service) Administrators(ctx context.Context, who rights.Identity, device string) ([]store.LocalMember, error) {
	tx := s.Read(ctx)
	d, err := reach.Visible(tx, s.Clock(), who, device)
	if err != nil {
		return nil, err
	}
	list, err := tx.PrivilegedOf(d.ID)
	if err != nil {
		return nil, err
	}
	if err := nameThose(tx, list); err != nil {
		return nil, err
	}
	if err := tellWanted(tx, list); err != nil {
		return nil, err
	}
	return withPeople(tx, list)
}

// withPeople adds the people of groups of the directory after their group.
func withPeople(tx Reads, list []store.LocalMember) ([]store.LocalMember, error) {
	refs := []principal.Ref{}
	for _, m := range list {
		if sid, err := principal.ParseSID(m.SID); err == nil && !m.Local {
			refs = append(refs, principal.FromSID(sid))
		}
	}
	table, err := tx.DirectoryAround(refs)
	if err != nil {
		return nil, err
	}
	groups, of := []string{}, map[string]string{}
	for _, ref := range refs {
		if group, known := table.Ref(ref.SID()); known && group.Kind() == principal.Group {
			groups = append(groups, group.String())
			of[ref.SID().String()] = group.String()
		}
	}
	if len(groups) == 0 {
		return list, nil
	}
	people, err := tx.PeopleWithin(groups)
	if err != nil {
		return nil, err
	}
	var all []store.LocalMember
	for _, m := range list {
		all = append(all, m)
		for _, p := range people {
			if group := of[m.SID]; group != "" && p.Path[0] == group {
				all = append(all, store.LocalMember{DeviceID: m.DeviceID, Device: m.Device, GroupName: m.GroupName,
					GroupSID: m.GroupSID, SID: p.SID, Name: p.Name, Privileged: true, Since: m.Since, Through: p.Path,
					WantedBy: m.WantedBy})
			}
		}
	}
	return all, nil
}

// Changes lists what changed in the inventory of a device, the latest first.
func (s *Service) Changes(
	ctx context.Context, who rights.Identity, device string, p store.Page,
) ([]store.InventoryChange, string, error) {
	tx := s.Read(ctx)
	d, err := reach.Visible(tx, s.Clock(), who, device)
	if err != nil {
		return nil, "", err
	}
	return tx.ListInventoryChanges(d.ID, p)
}
