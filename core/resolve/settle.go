package resolve

import (
	"rankwarden.example/core/assign"
)

// Verdict says how the claims on a unit were settled.
type Verdict string

// The verdicts.
const (
	Sole      Verdict = "sole"      // only one assignment asks
	Agreed    Verdict = "agreed"    // all ask for the same
	Ranked    Verdict = "ranked"    // the strongest rank decided
	Stricter  Verdict = "stricter"  // equal ranks differed, the strictest value won
	Merged    Verdict = "merged"    // statements on a local group were put together
	Contested Verdict = "contested" // equal ranks differ and nothing decides
)

// Why says why a claim did not decide the value.
type Why string

// The reasons.
const (
	Same       Why = "same"        // weaker, and asks for what was settled anyway
	Outranked  Why = "outranked"   // weaker, and asks for something else
	LessStrict Why = "less_strict" // of equal rank, lost by strictness
	Closed     Why = "closed"      // set aside by a closed group
	Disputed   Why = "contested"   // of equal rank, and nothing decides
)

// Lost is a claim that did not decide the value.
type Lost struct {
	Assignment string      `json:"assignment"`
	Rank       assign.Rank `json:"rank"`
	Value      Value       `json:"value"`
	Why        Why         `json:"why"`
}

// Unit is one settled unit. Value is nil when it is contested.
type Unit struct {
	Unit    UnitID   `json:"unit"`
	Verdict Verdict  `json:"verdict"`
	Value   Value    `json:"value"`
	From    []string `json:"from"` // assignments that decided, by rank and name
	Over    []Lost   `json:"over"` // all others that asked, by rank and name
}

// Lane is everything settled for the devices of one scope: units sorted by name, and problems of
// the whole.
type Lane struct {
	Units    []Unit    `json:"units"`
	Problems []Problem `json:"problems"`
}

// settleValue settles the claims on one unit, sorted by rank, that is not a local group.
func settleValue(claims []Claim) Unit {
	top := claims[0].Rank
	unit := Unit{Unit: claims[0].Unit, Value: claims[0].Value, From: []string{}, Over: []Lost{}}
	unit.Verdict = Agreed
	if len(claims) == 1 {
		unit.Verdict = Sole
	}
	for _, c := range claims[1:] {
		switch {
		case c.Value.Equal(claims[0].Value):
		case c.Rank != top:
			if unit.Verdict == Agreed {
				unit.Verdict = Ranked
			}
		case unit.Verdict != Contested:
			unit.Verdict = Stricter
			order, comparable := strictness(unit.Unit, c.Value, unit.Value)
			switch {
			case !comparable:
				unit.Verdict, unit.Value = Contested, nil
			case order > 0:
				unit.Value = c.Value
			}
		}
	}
	for _, c := range claims {
		agrees := unit.Value != nil && c.Value.Equal(unit.Value)
		if c.Rank == top && agrees {
			unit.From = append(unit.From, c.Assignment)
			continue
		}
		why := Outranked
		switch {
		case c.Rank == top && unit.Verdict == Contested:
			why = Disputed
		case c.Rank == top:
			why = LessStrict
		case agrees:
			why = Same
		}
		unit.Over = append(unit.Over, Lost{c.Assignment, c.Rank, c.Value, why})
	}
	return unit
}
