package plan

import (
	"cmp"
	"maps"
	"slices"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
)

// Inputs are everything that decides what devices are to have.
type Inputs struct {
	Devices     []fleet.Facts               // a device is its index here
	Groups      []fleet.Group               // worked out from the facts
	Known       map[string]fleet.Members    // groups whose members were worked out before, by name
	Policies    map[string]*policy.Document // in force, by name; without errors
	Unusable    map[string]error            // policies in force that cannot be read, and why, by name
	Assignments []assign.Assignment         // names differ; they name policies of either kind
	Directory   principal.Directory         // nil knows nobody
}

// Edits are a change of some inputs, by name. A nil value takes what has the name away.
type Edits struct {
	Policies    map[string]*policy.Document
	Assignments map[string]*assign.Assignment
	Groups      map[string]*fleet.Group
}

// With gives the inputs after edits; the inputs themselves stay as they are. Assignments come by rank and name.
func (in Inputs) With(e Edits) Inputs {
	in.Policies, in.Unusable, in.Known = maps.Clone(in.Policies), maps.Clone(in.Unusable), maps.Clone(in.Known)
	if in.Policies == nil {
		in.Policies = map[string]*policy.Document{}
	}
	for name, p := range e.Policies {
		delete(in.Unusable, name)
		delete(in.Policies, name)
		if p != nil {
			in.Policies[name] = p
		}
	}
	in.Assignments = edited(in.Assignments, e.Assignments, func(a assign.Assignment) string { return a.Name })
	slices.SortStableFunc(in.Assignments, byRank)
	in.Groups = edited(in.Groups, e.Groups, func(g fleet.Group) string { return g.Name })
	for name := range e.Groups {
		delete(in.Known, name)
	}
	return in
}

func byRank(a, b assign.Assignment) int {
	return cmp.Or(cmp.Compare(a.Rank, b.Rank), cmp.Compare(a.Name, b.Name))
}

// edited is a list with some of it replaced, taken away and added, the latter by name.
func edited[T any](list []T, edits map[string]*T, name func(T) string) []T {
	after := slices.Clone(list)
	after = slices.DeleteFunc(after, func(x T) bool {
		edit, there := edits[name(x)]
		return there && edit == nil
	})
	for _, key := range slices.Sorted(maps.Keys(edits)) {
		edit := edits[key]
		if edit == nil {
			continue
		}
		if at := slices.IndexFunc(after, func(x T) bool { return name(x) == key }); at >= 0 {
			after[at] = *edit
		} else {
			after = append(after, *edit)
		}
	}
	return after
}
