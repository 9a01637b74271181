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
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// Service is the room.
type Service struct{ uow.Room[Reads, Records] }

// Reads is what this room reads of the records. [store.Reader] has it.
type Reads interface {
	reach.Records

	DirectoryAround(refs []principal.Ref) (*principal.Table, error)
	ListAccountNames(reach rights.Reach, q store.AccountQuery, p store.Page) ([]store.AccountName, string, error)
	ListAccountsNamed(reach rights.Reach, name string, p store.Page) ([]store.LocalAccount, string, error)
	ListInventoryChanges(device string, p store.Page) ([]store.InventoryChange, string, error)
	ListMemberships(
		reach rights.Reach, sids []string, local string, all bool, p store.Page,
	) ([]store.LocalMember, string, error)
	PrivilegedOf(device string) ([]store.LocalMember, error)
}

// Records is what it reads and writes of them in a unit of work: nothing is written. [store.Writer] has it.
type Records interface {
	Reads
	uow.Records
}

// Names lists names of local accounts, with how many devices in reach have one.
func (s *Service) Names(
	ctx context.Context, who rights.Identity, q store.AccountQuery, p store.Page,
) ([]store.AccountName, string, error) {
	return s.Read(ctx).ListAccountNames(who.Reach(rights.Look), q, p)
}

// Named lists the accounts of one name on devices in reach.
func (s *Service) Named(
	ctx context.Context, who rights.Identity, name string, p store.Page,
) ([]store.LocalAccount, string, error) {
	return s.Read(ctx).ListAccountsNamed(who.Reach(rights.Look), name, p)
}

// Where lists on which devices in reach a principal is in local groups: in those whose members can take the device
// over, or in any. A bare name is that of a local account. Whoever is in only through a group of the directory is found
// by that group.
func (s *Service) Where(
	ctx context.Context, who rights.Identity, name string, all bool, p store.Page,
) ([]store.LocalMember, string, error) {
	tx := s.Read(ctx)
	sids, local, err := identified(tx, name)
	if err != nil {
		return nil, "", err
	}
	list, next, err := tx.ListMemberships(who.Reach(rights.Look), sids, local, all, p)
	if err != nil {
		return nil, "", err
	}
	return list, next, nameThose(tx, list)
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

// identified gives the identifiers of whoever is named, or the name of a local account.
func identified(tx Reads, name string) (sids []string, local string, err error) {
	ref, err := principal.Parse(name)
	if err != nil && text.Fold(name) != "" {
		if ref, err = principal.Parse("local:" + name); err != nil {
			return nil, "", refusal.New(refusal.Invalid, "%v", err).At("principal").Asked()
		}
	}
	if err != nil {
		return nil, "", refusal.New(refusal.Invalid, "%v", err).At("principal").Asked()
	}
	switch ref.Kind() {
	case principal.Local:
		return nil, ref.Value(), nil
	case principal.Bare:
		return []string{ref.Value()}, "", nil
	case principal.User, principal.Group, principal.Object:
		table, err := tx.DirectoryAround([]principal.Ref{ref})
		if err != nil {
			return nil, "", err
		}
		if found, is := table.Object(objectOf(ref)); is {
			ref = found
		}
		sid, known := table.SID(ref)
		if !known {
			return nil, "", refusal.New(refusal.Invalid, "the directory does not know %s; import it, or give the "+
				"identifier: sid:S-1-…", ref).At("principal").Asked()
		}
		return []string{sid.String()}, "", nil
	}
	return nil, "", refusal.New(refusal.Invalid, "%s is another account on each device; give a person or group of the "+
		"directory, sid:S-1-…, or the name of a local account", ref).At("principal").Asked()
}

func objectOf(ref principal.Ref) principal.GUID {
	guid, err := principal.ParseGUID(ref.Value())
	if err != nil {
		return principal.GUID{} // it is no object
	}
	return guid
}

// Administrators lists who is in local groups of a device whose members can take it over.
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
	return list, nameThose(tx, list)
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
