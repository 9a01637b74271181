package deploy

import (
	"errors"
	"slices"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/published"
	"rankwarden.example/internal/store"
)

// inputs reads what is in force now for the devices: the inputs of a plan, and the records of its assignments at
// the same indexes. A device of the plan has its folded name, and its groups as they were worked out.
func (s *Service) inputs(tx Records, devices []store.DeviceName) (plan.Inputs, []store.Assignment, error) {
	in := plan.Inputs{
		Devices:  make([]fleet.Facts, len(devices)),
		Policies: map[string]*policy.Document{},
		Unusable: map[string]error{},
	}
	for i, d := range devices {
		in.Devices[i].Name = d.NameKey
	}
	records, err := tx.Assignments()
	if err != nil {
		return in, nil, err
	}
	var refs []principal.Ref
	var groups []string
	for _, a := range records {
		in.Assignments = append(in.Assignments, a.Aim())
		groups = append(groups, slices.Concat(a.Include, a.Exclude, a.Within)...)
		if in.Policies[a.Policy] != nil || in.Unusable[a.Policy] != nil {
			continue
		}
		doc, err := s.Documents.Of(tx, a.PolicyID, a.Revision)
		switch {
		case errors.Is(err, published.ErrUnreadable):
			in.Unusable[a.Policy] = err
		case err != nil:
			return in, nil, err
		default:
			in.Policies[a.Policy] = doc
			refs = append(refs, doc.Principals()...)
		}
	}
	if in.Directory, err = tx.DirectoryTable(refs); err != nil {
		return in, nil, err
	}
	in.Known, err = membersOf(tx, text.Set(groups), devices)
	return in, records, err
}

// membersOf reads who is in groups, among the devices, by index.
func membersOf(tx Records, groups []string, devices []store.DeviceName) (map[string]fleet.Members, error) {
	index := make(map[string]int, len(devices))
	for i, d := range devices {
		index[d.NameKey] = i
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
