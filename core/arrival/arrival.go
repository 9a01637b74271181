// Package arrival is what devices that are not there yet would be told: the answer of core/whatif, without the language
// of rules that gives it.
package arrival

import "rankwarden.example/core/resolve"

// Arrival is what devices that came would be told, all of those that would be told the same.
type Arrival struct {
	Devices     []string          `json:"devices"`
	Groups      []string          `json:"groups"`      // by rule, that all of them would certainly be in
	Assignments []string          `json:"assignments"` // that would apply, by rank and name
	Settings    int               `json:"settings"`
	Contested   []string          `json:"contested"` // settings that nobody could decide
	Problems    []resolve.Problem `json:"problems"`
	// WayIn says that they would have a way in for emergencies: an account of their own whose password is kept.
	WayIn bool `json:"way_in"`
}
