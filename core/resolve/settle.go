package resolve

import (
	"rankwarden.example/core/assign"
	"rankwarden.example/core/unit"
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

// LosingClaim is a claim that did not decide the value.
type LosingClaim struct {
	Assignment string      `json:"assignment"`
	Rank       assign.Rank `json:"rank"`
	Value      unit.Value  `json:"value"`
	Why        Why         `json:"why"`
}

// Unit is one settled unit. Value is nil when it is contested.
type Unit struct {
	Unit    unit.ID       `json:"unit"`
	Verdict Verdict       `json:"verdict"`
	Value   unit.Value    `json:"value"`
	From    []string      `json:"from"` // assignments that decided, by rank and name
	Over    []LosingClaim `json:"over"` // all others that asked, by rank and name
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
	settled := Unit{Unit: claims[0].Unit, Value: claims[0].Value, From: []string{}, Over: []LosingClaim{}}
	settled.Verdict = Agreed
	if len(claims) == 1 {
		settled.Verdict = Sole
	}
	for _, c := range claims[1:] {
		switch {
		case c.Value.Equal(claims[0].Value):
		case c.Rank != top:
			if settled.Verdict == Agreed {
				settled.Verdict = Ranked
			}
		case settled.Verdict != Contested:
			settled.Verdict = Stricter
			order, comparable := unit.Strictness(settled.Unit, c.Value, settled.Value)
			switch {
			case !comparable:
				settled.Verdict, settled.Value = Contested, nil
			case order > 0:
				settled.Value = c.Value
			}
		}
	}
	for _, c := range claims {
		agrees := settled.Value != nil && c.Value.Equal(settled.Value)
		if c.Rank == top && agrees {
			settled.From = append(settled.From, c.Assignment)
			continue
		}
		why := Outranked
		switch {
		case c.Rank == top && settled.Verdict == Contested:
			why = Disputed
		case c.Rank == top:
			why = LessStrict
		case agrees:
			why = Same
		}
		settled.Over = append(settled.Over, LosingClaim{c.Assignment, c.Rank, c.Value, why})
	}
	return settled
}
