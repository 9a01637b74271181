package scenario

import (
	"errors"
	"fmt"
	"time"

	"rankwarden.example/core/change"
	"rankwarden.example/core/drift"
	"rankwarden.example/core/plan"
)

// Formats of the file that is read and of the document that is written.
const (
	Format           = "rankwarden.scenario/1"
	ResolutionFormat = "rankwarden.resolution/1"
)

// Scenario is an organisation, ready to be settled. Devices and assignments come by name, and by rank and name.
type Scenario struct {
	plan.Inputs
	At       *time.Time            // the time of findings; nil: that of each report
	Reports  map[int]*drift.Report // by index of the device
	Change   []change.Step         // nil where the file has none
	Rollout  *Rollout              // nil where the file has none
	Warrants map[int][]Warrant     // by index of the device, as they stand in the file
	Warnings []string              // what the service would not take
}

// Error says where a scenario cannot be used.
type Error struct {
	Where string // such as assignments[2].policy, or line 7
	Err   error
}

func (e *Error) Error() string { return e.Where + ": " + e.Err.Error() }

func (e *Error) Unwrap() error { return e.Err }

func fail(where, format string, args ...any) error {
	return &Error{where, fmt.Errorf(format, args...)}
}

// ErrPolicy is matched by the errors for a policy with problems.
var ErrPolicy = errors.New("a policy cannot be used")
