package rollout

import (
	"time"

	"rankwarden.example/core/unit"
)

// Event is something that happens to a rollout.
type Event interface{ event() }

// The events. By and Reason are a person's; a reason is needed where a gate is passed over.
type (
	// Start opens the first wave.
	Start struct{ By string }
	// Pause holds a running rollout: no wave opens.
	Pause struct{ By, Reason string }
	// Resume goes on after a pause or a stop. After a stop the open wave soaks again, and devices that failed or
	// refused count once they report again; where the change was edited, every device that has it.
	Resume struct {
		By, Reason string
		Edited     bool
	}
	// AskOpen asks for a second person, who opens the next wave although the gate was not passed.
	AskOpen struct{ By, Reason string }
	// OpenNext opens the next wave although the gate was not passed.
	OpenNext struct{ By, Reason string }
	// Revert takes the change back from every device.
	Revert struct {
		By, Reason string
		GiveBack   bool // members and values that the change took away are given back by the devices
	}
	// Report is what a report of a device says of the change. Reports of devices that do not have it count for nothing.
	Report struct {
		Device   string
		Outcome  Outcome
		Settings []unit.ID // that failed, were refused or are held
	}
	// Join is devices that the change affects, and that were not there when the waves were drawn. They are drawn into
	// the waves; those whose wave is open join by themselves as long as they are few.
	Join struct {
		Devices []string
		Why     string // what brought them, in words
		// Wanted says that whoever resumes brings them: they wait for that, and halt nothing.
		Wanted bool
	}
	// Present says that a device was online when it was told of the change.
	Present struct{ Device string }
	// Silence says that a device which was online when it was told has not been heard from for too long since.
	Silence struct{ Device string }
	// Leave is a device that is retired, or that the change does not affect any more.
	Leave struct{ Device string }
	// Halt stops a rollout whose change cannot be made any more; Why says so in words.
	Halt struct{ Why string }
	// Unwatched is time in which nobody looked, or by which a clock jumped on. It is no soak.
	Unwatched struct{ For time.Duration }
	// Tick is time that has passed.
	Tick struct{}
)

func (Start) event()     {}
func (Pause) event()     {}
func (Resume) event()    {}
func (OpenNext) event()  {}
func (AskOpen) event()   {}
func (Revert) event()    {}
func (Report) event()    {}
func (Join) event()      {}
func (Present) event()   {}
func (Silence) event()   {}
func (Leave) event()     {}
func (Halt) event()      {}
func (Unwatched) event() {}
func (Tick) event()      {}
