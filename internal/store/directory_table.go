package store

import (
	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// DirectoryTable reads what the directory knows of references.
func (t OrganisationReader) DirectoryTable(refs []principal.Ref) (*principal.Table, error) {
	records, err := t.DirectoryFor(directoryKeys(refs))
	entries := make([]principal.Entry, len(records))
	for i, r := range records {
		entries[i] = r.Entry()
	}
	return principal.NewTable(entries), err
}

// directoryKeys are the texts that the directory's records of references are found by.
func directoryKeys(refs []principal.Ref) (names, sids, guids []string) {
	for _, ref := range refs {
		switch ref.Kind() {
		case principal.User, principal.Group:
			names = append(names, ref.String())
		case principal.Bare:
			sids = append(sids, ref.SID().String())
		case principal.Object:
			guids = append(guids, ref.GUID().String())
		}
	}
	return names, sids, guids
}

// DirectoryAround is [Tx.DirectoryTable] with those that look like a reference that is not known.
func (t OrganisationReader) DirectoryAround(refs []principal.Ref) (*principal.Table, error) {
	known, err := t.DirectoryTable(refs)
	if err != nil {
		return nil, err
	}
	entries := known.Entries()
	for _, ref := range refs {
		if _, ok := known.SID(ref); ok || ref.Kind() != principal.User && ref.Kind() != principal.Group {
			continue
		}
		near, err := t.DirectoryNear(ref.String())
		if err != nil {
			return nil, err
		}
		for _, e := range near {
			entries = append(entries, e.Entry())
		}
	}
	return principal.NewTable(entries), nil
}

// DirectoryOf reads what is needed to compare states with settings, see [NamedIn].
func (t OrganisationReader) DirectoryOf(settings []unit.Setting, states ...*drift.State) (*principal.Table, error) {
	return t.DirectoryTable(NamedIn(settings, states...))
}

// NamedIn is whom the directory is asked for to compare states with settings: the people and groups that are asked for,
// and members from outside.
func NamedIn(settings []unit.Setting, states ...*drift.State) []principal.Ref {
	refs := unit.Named(settings)
	for _, state := range states {
		local := make(map[principal.SID]bool, len(state.Accounts))
		for _, a := range state.Accounts {
			local[a.SID] = true
		}
		for _, g := range state.LocalGroups {
			for _, m := range g.Members {
				if !local[m.SID] {
					refs = append(refs, principal.FromSID(m.SID))
				}
			}
		}
	}
	return refs
}
