package rollout

import (
	"slices"
	"time"

	"rankwarden.example/core/unit"
)

// State says where a rollout stands.
type State string

// The states of a rollout.
const (
	Draft    State = "draft"    // its waves are drawn, and none is open
	Running  State = "running"  // waves open as gates are passed
	Paused   State = "paused"   // a person holds it; no wave opens
	Stopped  State = "stopped"  // a gate stopped it; no wave opens
	Done     State = "done"     // the last wave passed its gate
	Reverted State = "reverted" // no device has the change any more
)

// Ended reports whether nothing opens any more.
func (s State) Ended() bool { return s == Done || s == Reverted }

// Outcome is what a device made of the change, as its last report since its wave opened says.
type Outcome string

// The outcomes of a device.
const (
	NotOpen      Outcome = "not_open"      // its wave has not opened
	Told         Outcome = "told"          // not heard from since its wave opened
	Working      Outcome = "working"       // heard from, and not verified yet
	Verified     Outcome = "verified"      // read back, and as desired
	Failed       Outcome = "failed"        // it could not carry it out
	GuardRefused Outcome = "guard_refused" // it would have lost its last administrator, and refused
	Held         Outcome = "held"          // settings need a decision
)

// heard are the outcomes that a report can have.
var heard = []Outcome{Working, Verified, Failed, GuardRefused, Held}

// Outcomes are all of them.
var Outcomes = []Outcome{NotOpen, Told, Working, Verified, Failed, GuardRefused, Held}

// Gate is what the devices of a wave must have shown before the next wave opens.
type Gate struct {
	Verified int           `json:"verified"` // at least so many percent of the devices heard from are verified
	Failed   int           `json:"failed"`   // at most so many percent of them failed
	Soak     time.Duration `json:"soak"`     // at least so long since the wave opened
}

// DefaultGate is the gate where nothing else is said.
var DefaultGate = Gate{Verified: 80, Failed: 2, Soak: 30 * time.Minute}

// Wave is the devices that get the change together.
type Wave struct {
	Title    string     `json:"title"` // such as first-wave, 10 % or the rest
	Drawn    int        `json:"drawn"` // devices when the waves were drawn
	Gate     Gate       `json:"gate"`
	OpenedAt *time.Time `json:"opened_at"` // nil while it is not open
	JudgedAt *time.Time `json:"judged_at"` // since when reports count: when it opened, or went on after a stop
	PassedAt *time.Time `json:"passed_at"` // when its gate was passed
	Tally    Tally      `json:"tally"`
}

// Tally counts the devices of a wave by outcome.
type Tally map[Outcome]int

// Devices are all of them.
func (t Tally) Devices() (n int) {
	for _, count := range t {
		n += count
	}
	return n
}

// Heard are those heard from since their wave opened.
func (t Tally) Heard() (n int) {
	for _, o := range heard {
		n += t[o]
	}
	return n
}

// Device is where one device stands.
type Device struct {
	Wave     int       `json:"wave"` // index
	Outcome  Outcome   `json:"outcome"`
	Settings []unit.ID `json:"settings,omitempty"` // that failed, were refused or are held
}

// Rollout is a change on its way. It is altered by [Rollout.Apply] alone.
type Rollout struct {
	State     State             `json:"state"`
	Waves     []Wave            `json:"waves"`
	Devices   map[string]Device `json:"devices"` // by identifier
	Late      []string          `json:"late"`    // devices that came while no wave may open; they join when it goes on
	GiveBack  bool              `json:"give_back"`
	Asked     *Asked            `json:"asked,omitempty"` // for the next wave to open early; nil when nobody has
	Decisions []Decision        `json:"decisions"`       // oldest first
}

// Asked is somebody who wants the next wave to open before its gate is passed, for which a second person must agree.
type Asked struct {
	By     string `json:"by"`
	Reason string `json:"reason"`
	Wave   int    `json:"wave"` // index
}

// Open is the index of the last open wave, -1 before the first.
func (r *Rollout) Open() int {
	open := -1
	for i := range r.Waves {
		if r.Waves[i].OpenedAt != nil {
			open = i
		}
	}
	return open
}

// Has reports whether a device resolves with the change: exactly while its wave has been opened and the change is not
// reverted.
func (r *Rollout) Has(device string) bool {
	d, there := r.Devices[device]
	return there && r.State != Reverted && r.Waves[d.Wave].OpenedAt != nil
}

// set puts a device into an outcome and keeps the tally of its wave.
func (r *Rollout) set(device string, to Device) {
	if from, there := r.Devices[device]; there {
		r.Waves[from.Wave].Tally[from.Outcome]--
	}
	r.Devices[device] = to
	r.Waves[to.Wave].Tally[to.Outcome]++
}

func (r *Rollout) forget(device string) {
	if from, there := r.Devices[device]; there {
		r.Waves[from.Wave].Tally[from.Outcome]--
		delete(r.Devices, device)
	}
	r.Late = slices.DeleteFunc(r.Late, func(d string) bool { return d == device })
}
