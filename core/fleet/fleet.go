package fleet

import (
	"errors"
	"fmt"
	"slices"
)

// Everything is the built-in group of all devices.
const Everything = "everything"

// Rank is the precedence of an assignment, from 1 to 9999: 1 outranks 2. The zero Rank is invalid.
type Rank int

// The bounds of a rank.
const (
	Strongest Rank = 1
	Weakest   Rank = 9999
)

// Valid reports whether r is within its bounds.
func (r Rank) Valid() bool { return r >= Strongest && r <= Weakest }

// Outranks reports whether r is stronger than other, that is the smaller number.
func (r Rank) Outranks(other Rank) bool { return r < other }

// Assignment aims a policy at groups.
type Assignment struct {
	Name    string
	Policy  string
	Include []string // groups; a device must be in one of them
	Exclude []string // groups; a device must be in none of them
	Rank    Rank
}

// ErrAssignment is matched by every error of [Assignment.Check].
var ErrAssignment = errors.New("assignment")

// Check refuses an assignment that cannot be used, whatever groups there are.
func (a Assignment) Check() error {
	switch {
	case !a.Rank.Valid():
		return fmt.Errorf("%w: rank %d is out of bounds; use 1 (strongest) to 9999 (weakest)", ErrAssignment, a.Rank)
	case len(a.Include) == 0:
		return fmt.Errorf("%w: no group is included, so it would reach no device; include a group, or %q for all", ErrAssignment, Everything)
	case slices.Contains(a.Exclude, Everything):
		return fmt.Errorf("%w: excluding %q would leave no device; take it out", ErrAssignment, Everything)
	}
	for _, g := range a.Include {
		if slices.Contains(a.Exclude, g) {
			return fmt.Errorf("%w: group %q is both included and excluded; exclusion wins, so keep only one", ErrAssignment, g)
		}
	}
	return nil
}
