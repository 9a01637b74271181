package service

import (
	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/store"
)

// directoryFor reads what the directory knows of the references.
func directoryFor(tx store.Tx, refs []principal.Ref) (*principal.Table, error) {
	var names, sids, guids []string
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
	entries, err := tx.DirectoryFor(names, sids, guids)
	return tableOf(entries), err
}

// directoryNear is [directoryFor], with those that look like a reference that is not known.
func directoryNear(tx store.Tx, refs []principal.Ref) (*principal.Table, error) {
	known, err := directoryFor(tx, refs)
	if err != nil {
		return nil, err
	}
	entries := known.Entries()
	for _, ref := range refs {
		if _, ok := known.SID(ref); ok || ref.Kind() != principal.User && ref.Kind() != principal.Group {
			continue
		}
		near, err := tx.DirectoryNear(ref.String())
		if err != nil {
			return nil, err
		}
		for _, e := range near {
			entries = append(entries, e.Entry())
		}
	}
	return principal.NewTable(entries), nil
}

// directoryOf reads what is needed to compare a state with settings: the people and groups that are
// asked for, and the names of members from outside.
func directoryOf(tx store.Tx, settings []unit.Setting, states ...*drift.State) (*principal.Table, error) {
	refs := namedIn(settings)
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
	return directoryFor(tx, refs)
}

func tableOf(records []store.DirectoryEntry) *principal.Table {
	entries := make([]principal.Entry, len(records))
	for i, r := range records {
		entries[i] = r.Entry()
	}
	return principal.NewTable(entries)
}
