package resolve

import (
	"maps"
	"slices"

	"rankwarden.example/core/policy"
)

// Setting is one unit of a desired state.
type Setting struct {
	Unit  UnitID `json:"unit"`
	Value Value  `json:"value"`
}

// Held is a unit that must not change, and why: contested, or the code of the problem.
type Held struct {
	Unit UnitID `json:"unit"`
	Why  string `json:"why"`
}

// Held are the units of the lane that must not change, sorted. It is never nil.
func (l Lane) Held() []Held {
	why := map[UnitID]string{}
	for _, p := range l.Problems {
		if p.Severity == policy.Error {
			for _, unit := range p.Holds {
				why[unit] = string(p.Code)
			}
		}
	}
	for _, u := range l.Units {
		if u.Verdict == Contested {
			why[u.Unit] = string(Contested)
		}
	}
	held := []Held{}
	for _, unit := range slices.SortedFunc(maps.Keys(why), UnitID.Compare) {
		held = append(held, Held{unit, why[unit]})
	}
	return held
}

// Compose makes the settings of a desired state, sorted by unit: the settled values, except that a
// held unit keeps its value among previous, and is left out where it had none there.
func Compose(lane Lane, previous []Setting) (settings []Setting, held []Held) {
	settings, held = []Setting{}, lane.Held()
	for _, u := range lane.Units {
		source := []Setting{{u.Unit, u.Value}}
		if slices.ContainsFunc(held, func(h Held) bool { return h.Unit == u.Unit }) {
			source = previous
		}
		if i := slices.IndexFunc(source, func(s Setting) bool { return s.Unit == u.Unit }); i >= 0 {
			settings = append(settings, source[i])
		}
	}
	return settings, held
}
