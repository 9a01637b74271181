package warrant

import (
	"slices"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// Effect is what a running warrant does to a settled local group.
type Effect string

// The effects of a warrant.
const (
	Added     Effect = "added"     // the principal is a member by the warrant alone
	Already   Effect = "already"   // the principal is to be a member anyway
	Overruled Effect = "overruled" // the principal is asked to be no member, and the warrant is not despite
)

// On is what a warrant for a principal does to a settled local group; settled is nil where nothing is asked.
func (h Held) On(settled unit.Value) Effect {
	m, _ := settled.(unit.Members)
	switch {
	case !h.Despite && slices.Contains(m.Absent, h.Principal):
		return Overruled
	case slices.Contains(m.Present, h.Principal):
		return Already
	}
	return Added
}

// Lay lays what runs over the settled value of a local group, nil where nothing is asked; the result is nil where
// nothing is asked and nobody was added. The value that is given stays as it was.
func (r Running) Lay(id unit.ID, settled unit.Value) unit.Value {
	laid, is := settled.(unit.Members)
	added := false
	for _, h := range r.Of(id) {
		if h.On(settled) != Added {
			continue
		}
		if !added {
			laid.Present, laid.Absent = slices.Clone(laid.Present), slices.Clone(laid.Absent)
			added = true
		}
		if place, found := slices.BinarySearchFunc(laid.Present, h.Principal, principal.Compare); !found {
			laid.Present = slices.Insert(laid.Present, place, h.Principal)
		}
		laid.Absent = slices.DeleteFunc(laid.Absent, func(ref principal.Ref) bool { return ref == h.Principal })
	}
	switch {
	case added && !is:
		laid.Absent = []principal.Ref{}
		return laid
	case added:
		return laid
	}
	return settled
}

// Of are those for a local group.
func (r Running) Of(id unit.ID) Running {
	from, _ := slices.BinarySearchFunc(r, id, func(h Held, id unit.ID) int { return h.Unit.Compare(id) })
	until := from
	for until < len(r) && r[until].Unit == id {
		until++
	}
	return r[from:until]
}

// Over lays what runs over settled values, sorted by unit, but for units that are contested, nil for none: of those
// nothing is known. The settings that are given stay as they were; they are the result where nothing runs.
func (r Running) Over(settings []unit.Setting, contested func(unit.ID) bool) []unit.Setting {
	if len(r) == 0 {
		return settings
	}
	laid := slices.Clone(settings)
	for i := range r {
		id := r[i].Unit
		if i > 0 && r[i-1].Unit == id || contested != nil && contested(id) {
			continue
		}
		place, found := slices.BinarySearchFunc(
			laid, id, func(s unit.Setting, id unit.ID) int { return s.Unit.Compare(id) },
		)
		switch {
		case found:
			laid[place].Value = r.Lay(id, laid[place].Value)
		default:
			if value := r.Lay(id, nil); value != nil {
				laid = slices.Insert(laid, place, unit.Setting{Unit: id, Value: value})
			}
		}
	}
	return laid
}
