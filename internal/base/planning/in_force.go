// Package planning makes plans of what devices are to have: of what is in force, of edits over it, and of the rollouts
// that are under way.
package planning

import (
	"errors"
	"slices"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/store"
)

// Records is what is needed of the records to read what is in force.
type Records interface {
	cache.Revisions

	Assignments() ([]store.Assignment, error)
	DirectoryTable(refs []principal.Ref) (*principal.Table, error)
	MembersOf(groups []string) ([]store.Membership, error)
}

// Device is a device of the plan.
type Device struct {
	ID      string
	NameKey string      // folded name
	Facts   fleet.Facts // with its name; the others are only needed where a rule is worked out
}

// ByName numbers devices by their folded names, those that they have and those that they had and keep. The errors are
// those of the records.
func ByName(tx interface {
	FormerNames() ([]store.FormerName, error)
}, devices []Device) (map[string]int, error) {
	index, byID := make(map[string]int, len(devices)), make(map[string]int, len(devices))
	for i, d := range devices {
		index[d.NameKey], byID[d.ID] = i, i
	}
	former, err := tx.FormerNames()
	for _, f := range former {
		if i, there := byID[f.DeviceID]; there {
			index[f.NameKey] = i // nobody else has it
		}
	}
	return index, err
}

// Beside names what edits may bring into force beside what is.
type Beside struct {
	Groups     []string               // that exist
	Policies   map[string]PolicyInUse // by name
	Principals []principal.Ref
}

// PolicyInUse is the latest revision of a policy.
type PolicyInUse struct {
	ID       string
	Revision int
}

// Read reads what is in force as the inputs of a plan: assignments with the policies they have, the members of the
// groups that they name, and the people and groups of the directory that the policies name, for devices; and the
// records of its assignments at the same indexes. The errors are those of the records.
func Read(tx Records, docs *cache.Documents, devices []Device, beside Beside) (plan.Inputs, []store.Assignment, error) {
	in := plan.Inputs{
		Devices:  make([]fleet.Facts, len(devices)),
		Policies: map[string]*policy.Document{},
		Unusable: map[string]error{},
	}
	for i, d := range devices {
		in.Devices[i] = d.Facts
	}
	records, err := tx.Assignments()
	if err != nil {
		return in, nil, err
	}
	refs, groups := slices.Clone(beside.Principals), slices.Clone(beside.Groups)
	read := func(name, id string, revision int) error {
		if in.Policies[name] != nil || in.Unusable[name] != nil {
			return nil
		}
		doc, err := docs.Of(tx, id, revision)
		switch {
		case errors.Is(err, cache.ErrUnreadable):
			in.Unusable[name] = err
		case err != nil:
			return err
		default:
			in.Policies[name] = doc
			refs = append(refs, doc.Principals()...)
		}
		return nil
	}
	for _, a := range records {
		in.Assignments = append(in.Assignments, a.Aim())
		groups = append(groups, slices.Concat(a.Include, a.Exclude, a.Within)...)
		if err := read(a.Policy, a.PolicyID, a.Revision); err != nil {
			return in, nil, err
		}
	}
	for name, p := range beside.Policies {
		if err := read(name, p.ID, p.Revision); err != nil {
			return in, nil, err
		}
	}
	if in.Directory, err = tx.DirectoryTable(refs); err != nil {
		return in, nil, err
	}
	in.Known, err = membersOf(tx, text.Set(groups), devices)
	return in, records, err
}

// membersOf reads who is in groups, among the devices, by index.
func membersOf(tx Records, groups []string, devices []Device) (map[string]fleet.Members, error) {
	index := make(map[string]int, len(devices))
	for i, d := range devices {
		index[d.ID] = i
	}
	memberships, err := tx.MembersOf(groups)
	yes, perhaps := map[string][]int{}, map[string][]int{}
	for _, m := range memberships {
		i, there := index[m.Device]
		switch {
		case !there:
		case m.Certain:
			yes[m.Name] = append(yes[m.Name], i)
		default:
			perhaps[m.Name] = append(perhaps[m.Name], i)
		}
	}
	members := map[string]fleet.Members{}
	for _, g := range groups {
		if g != assign.Everything {
			members[g] = fleet.Listed(len(devices), yes[g], perhaps[g])
		}
	}
	return members, err
}
