package resolve

import (
	"maps"
	"slices"

	"rankwarden.example/core/policy"
	"rankwarden.example/core/unit"
)

// HeldUnit is a unit that must not change, and why: contested, or the code of the problem.
type HeldUnit struct {
	Unit unit.ID `json:"unit"`
	Why  string  `json:"why"`
}

// Holds reports whether any unit must not change, so that what a device is told depends on what it
// was told before.
func (l Lane) Holds() bool {
	return slices.ContainsFunc(
		l.Problems,
		func(p Problem) bool { return p.Severity == policy.Error && p.Holds.Any() },
	) ||
		slices.ContainsFunc(l.Units, func(u Unit) bool { return u.Verdict == Contested })
}

// Held are the units that must not change, sorted: those of the lane, and where every unit is
// held also those that the device was told before. It is never nil.
func (l Lane) Held(previous []unit.Setting) []HeldUnit {
	why := map[unit.ID]string{}
	for _, p := range l.Problems {
		if p.Severity != policy.Error {
			continue
		}
		if p.Holds.All {
			for _, u := range l.Units {
				why[u.Unit] = string(p.Code)
			}
			for _, s := range previous {
				why[s.Unit] = string(p.Code)
			}
		}
		for _, id := range p.Holds.Units {
			if why[id] != string(UndecidedScope) {
				why[id] = string(p.Code)
			}
		}
	}
	for _, u := range l.Units {
		if u.Verdict == Contested {
			why[u.Unit] = string(Contested)
		}
	}
	held := []HeldUnit{}
	for _, id := range slices.SortedFunc(maps.Keys(why), unit.ID.Compare) {
		held = append(held, HeldUnit{id, why[id]})
	}
	return held
}

// Compose makes the settings of a desired state, sorted by unit: the settled values, except that a
// held unit keeps its value among previous, and is left out where it had none there.
func Compose(lane Lane, previous []unit.Setting) (settings []unit.Setting, held []HeldUnit) {
	held = lane.Held(previous)
	keeps := make(map[unit.ID]bool, len(held))
	for _, h := range held {
		keeps[h.Unit] = true
	}
	settings = []unit.Setting{}
	for _, u := range lane.Units {
		if !keeps[u.Unit] {
			settings = append(settings, unit.Setting{Unit: u.Unit, Value: u.Value})
		}
	}
	for _, s := range previous {
		if keeps[s.Unit] {
			settings = append(settings, s)
		}
	}
	slices.SortFunc(settings, func(a, b unit.Setting) int { return a.Unit.Compare(b.Unit) })
	return settings, held
}

// Settings are the settled values of the lane, whatever is held; a contested unit has none.
func (l Lane) Settings() []unit.Setting {
	settings := make([]unit.Setting, 0, len(l.Units))
	for _, u := range l.Units {
		if u.Value != nil {
			settings = append(settings, unit.Setting{Unit: u.Unit, Value: u.Value})
		}
	}
	return settings
}

// Value is what is settled of a unit, nil where nothing is or where it is contested.
func (l Lane) Value(id unit.ID) unit.Value {
	if u, found := l.unit(id); found {
		return u.Value
	}
	return nil
}

// Contests reports whether a unit is contested.
func (l Lane) Contests(id unit.ID) bool {
	u, found := l.unit(id)
	return found && u.Verdict == Contested
}

func (l Lane) unit(id unit.ID) (Unit, bool) {
	at, found := slices.BinarySearchFunc(l.Units, id, func(u Unit, id unit.ID) int { return u.Unit.Compare(id) })
	if !found {
		return Unit{}, false
	}
	return l.Units[at], true
}
