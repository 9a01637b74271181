package present

import (
	"slices"

	"rankwarden.example/core/policy"
)

// Line is what a policy asks of one unit, in words.
type Line struct {
	Unit    string `json:"unit"`
	Section string `json:"section" doc:"Heading to show it under"`
	Title   string `json:"title"`
	Words   string `json:"words" doc:"What is asked, with the strength of secrets in bits"`
}

// Policy says what a policy asks for, unit by unit, in the order of [Compare].
func Policy(p *policy.Normal) []Line {
	asks := slices.Clone(p.Asks)
	slices.SortFunc(asks, func(a, b policy.Ask) int { return Compare(a.Unit, b.Unit) })
	lines := make([]Line, len(asks))
	for i, ask := range asks {
		lines[i] = Line{ask.Unit.String(), Section(ask.Unit), Unit(ask.Unit), Value(ask.Unit, ask.Value)}
	}
	return lines
}
