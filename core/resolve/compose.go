package resolve

import (
	"encoding/json"
	"maps"
	"slices"

	"rankwarden.example/core/fleet"
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

// Compose makes the settings of a desired state, sorted by unit: the settled values, except that a
// held unit keeps its value among previous, and is left out where it had none there.
func Compose(lane Lane, previous []Setting) (settings []Setting, held []Held) {
	why := map[UnitID]string{}
	for _, p := range lane.Problems {
		if p.Severity == policy.Error {
			for _, unit := range p.Holds {
				why[unit] = string(p.Code)
			}
		}
	}
	for _, u := range lane.Units {
		if u.Verdict == Contested {
			why[u.Unit] = string(Contested)
		}
	}
	settings, held = []Setting{}, []Held{}
	for _, u := range lane.Units {
		if _, holds := why[u.Unit]; !holds {
			settings = append(settings, Setting{u.Unit, u.Value})
			continue
		}
		for _, p := range previous {
			if p.Unit == u.Unit {
				settings = append(settings, p)
			}
		}
	}
	for _, unit := range slices.SortedFunc(maps.Keys(why), UnitID.Compare) {
		held = append(held, Held{unit, why[unit]})
	}
	return settings, held
}

// UnmarshalJSON reads a setting; the unit says what its value is.
func (s *Setting) UnmarshalJSON(data []byte) error {
	unit, value, err := decodeSetting(data)
	if err == nil {
		*s = Setting{unit, value}
	}
	return err
}

// UnmarshalJSON reads a settled unit; the unit says what its values are.
func (u *Unit) UnmarshalJSON(data []byte) error {
	var raw struct {
		Unit    UnitID          `json:"unit"`
		Verdict Verdict         `json:"verdict"`
		Value   json.RawMessage `json:"value"`
		From    []string        `json:"from"`
		Over    []struct {
			Assignment string          `json:"assignment"`
			Rank       fleet.Rank      `json:"rank"`
			Value      json.RawMessage `json:"value"`
			Why        Why             `json:"why"`
		} `json:"over"`
	}
	if err := json.Unmarshal(data, &raw); err != nil {
		return err
	}
	*u = Unit{Unit: raw.Unit, Verdict: raw.Verdict, From: raw.From, Over: []Lost{}}
	var err error
	if string(raw.Value) != "null" {
		if u.Value, err = DecodeValue(raw.Unit, raw.Value); err != nil {
			return err
		}
	}
	for _, o := range raw.Over {
		var claim Value
		if _, group := raw.Unit.LocalGroup(); group {
			var s Statement
			err = json.Unmarshal(o.Value, &s)
			claim = s
		} else {
			claim, err = DecodeValue(raw.Unit, o.Value)
		}
		if err != nil {
			return err
		}
		u.Over = append(u.Over, Lost{o.Assignment, o.Rank, claim, o.Why})
	}
	return nil
}
