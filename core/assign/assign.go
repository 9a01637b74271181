package assign

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

// Stance says whether devices are brought into line or only compared.
type Stance string

// The stances.
const (
	Enforce Stance = "enforce" // devices are brought into line
	Trial   Stance = "trial"   // nothing is changed; what would differ is reported
)

// Assignment aims a policy at groups.
type Assignment struct {
	Name    string   `json:"-"`
	Policy  string   `json:"policy" minLength:"1"`
	Include []string `json:"include" minItems:"1" maxItems:"100" nullable:"false" doc:"Groups; a device must be in one of them"`
	Exclude []string `json:"exclude,omitempty" maxItems:"100" nullable:"false" doc:"Groups; a device must be in none of them"`
	Within  []string `json:"within,omitempty" maxItems:"100" nullable:"false" doc:"Groups; a device must be in every one of them"`
	Rank    Rank     `json:"rank" minimum:"1" maximum:"9999" doc:"1 outranks 2"`
	Stance  Stance   `json:"stance,omitempty" enum:"enforce,trial" default:"enforce" doc:"trial changes nothing, and shows what would differ"`
}

// Equal reports whether two assignments say the same.
func (a Assignment) Equal(b Assignment) bool {
	return a.Name == b.Name && a.Policy == b.Policy && a.Rank == b.Rank && a.Stance == b.Stance &&
		slices.Equal(a.Include, b.Include) && slices.Equal(a.Exclude, b.Exclude) && slices.Equal(a.Within, b.Within)
}

// ErrAssignment is matched by every error of [Assignment.Check].
var ErrAssignment = errors.New("assignment")

// Check refuses an assignment that cannot be used, whatever groups there are.
func (a Assignment) Check() error {
	switch {
	case !a.Rank.Valid():
		return fmt.Errorf("%w: rank %d is out of bounds; use 1 (strongest) to 9999 (weakest)", ErrAssignment, a.Rank)
	case a.Stance != Enforce && a.Stance != Trial:
		return fmt.Errorf("%w: stance %q is not possible; use enforce or trial", ErrAssignment, a.Stance)
	case len(a.Include) == 0:
		return fmt.Errorf(
			"%w: no group is included, so it would reach no device; include a group, or %q for all",
			ErrAssignment,
			Everything,
		)
	case slices.Contains(a.Exclude, Everything):
		return fmt.Errorf("%w: excluding %q would leave no device; take it out", ErrAssignment, Everything)
	}
	for _, g := range a.Include {
		if slices.Contains(a.Exclude, g) {
			return fmt.Errorf(
				"%w: group %q is both included and excluded; exclusion wins, so keep only one",
				ErrAssignment,
				g,
			)
		}
	}
	for _, g := range a.Within {
		if slices.Contains(a.Exclude, g) {
			return fmt.Errorf(
				"%w: a device would have to be in group %q and not to be in it; take it out of within or exclude",
				ErrAssignment,
				g,
			)
		}
	}
	return nil
}
