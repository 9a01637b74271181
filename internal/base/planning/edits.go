package planning

import (
	"slices"

	"rankwarden.example/core/change"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/store"
)

// MaxGroupDevices is how many devices an edit may list in a group.
const MaxGroupDevices = 20_000

// Names is what is needed of the records to know what edits name.
type Names interface {
	GroupsNamed(names []string) ([]store.Group, error)
	Policy(name string) (store.Policy, error)
}

// NamedByEdits are the things that edits bring in beside what is in force, and groups.
func NamedByEdits(tx Names, edits []change.Step, groups []string) (Beside, error) {
	beside := Beside{Policies: map[string]PolicyInUse{}}
	for _, e := range edits {
		switch e.Kind {
		case change.Publish:
			beside.Principals = append(beside.Principals, e.Policy.Principals()...)
		case change.Assign:
			groups = append(groups, slices.Concat(e.Assignment.Include, e.Assignment.Exclude, e.Assignment.Within)...)
			p, err := tx.Policy(e.Assignment.Policy)
			if err == nil && p.Revision > 0 {
				beside.Policies[p.Name] = PolicyInUse{ID: p.ID, Revision: p.Revision}
			}
		case change.DropGroup, change.Group:
			groups = append(groups, e.Name)
		}
	}
	found, err := tx.GroupsNamed(text.Set(groups))
	for _, g := range found {
		beside.Groups = append(beside.Groups, g.Name)
	}
	return beside, err
}
