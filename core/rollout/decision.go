package rollout

import (
	"errors"
	"fmt"
	"time"

	"rankwarden.example/core/unit"
)

// What was decided.
type What string

// The decisions of a rollout.
const (
	Started     What = "started"
	WaveOpened  What = "wave_opened"
	GatePassed  What = "gate_passed"
	GateStopped What = "gate_stopped"
	WasPaused   What = "paused"
	Resumed     What = "resumed"
	OpenedEarly What = "opened_early"  // before the gate was passed
	AskedToOpen What = "asked_to_open" // early, for which a second person must agree
	Halted      What = "halted"        // the change cannot be made any more
	ManyJoin    What = "many_join"     // more devices came to waves that are open than may join by themselves
	Finished    What = "finished"
	WasReverted What = "reverted"
)

// Decision is one decision, with who, when and why.
type Decision struct {
	At       time.Time `json:"at"`
	By       string    `json:"by"` // empty for a gate
	What     What      `json:"what"`
	Wave     int       `json:"wave"`               // index, -1 where it is about no wave
	Reason   string    `json:"reason"`             // a person's, why the change cannot be made, or what brought devices
	Broken   *Reading  `json:"broken"`             // the condition that stopped it, nil for others
	Devices  []string  `json:"devices,omitempty"`  // at most [MostNamed]
	Count    int       `json:"count,omitempty"`    // of devices, where more are meant than are named
	Settings []unit.ID `json:"settings,omitempty"` // that failed or were refused on these devices
	GiveBack bool      `json:"give_back,omitempty"`
	Edited   bool      `json:"edited,omitempty"` // the change is another than before
}

// MostNamed is how many devices a decision names.
const MostNamed = 100

// The errors of [Rollout.Apply]; nothing happened then.
var (
	ErrState  = errors.New("the rollout does not allow it now")
	ErrReason = errors.New("a reason is needed")
	ErrReport = errors.New("a report does not have this outcome")
)

// StateError says what a rollout does not allow in its state. It is an [ErrState].
type StateError struct {
	Do    string // such as pause
	State State
	Way   string // the way out
}

func (e *StateError) Error() string {
	return fmt.Sprintf("it is %s, so one cannot %s; %s", e.State, e.Do, e.Way)
}

func (e *StateError) Unwrap() error { return ErrState }
