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
	// Lost was online when its wave opened, was given the change, and has fallen silent since. It counts as failed
	// until it is heard again: a change that cuts devices off has no other voice.
	Lost Outcome = "lost"
	// Late came when its wave was open already, with more than may join by themselves. It joins when the rollout goes
	// on.
	Late Outcome = "late"
)

// heard are the outcomes that a report can have.
var heard = []Outcome{Working, Verified, Failed, GuardRefused, Held}

// Outcomes are all of them.
var Outcomes = []Outcome{NotOpen, Told, Working, Verified, Failed, GuardRefused, Held, Lost, Late}

// HasChange reports whether a device with the outcome has the change, unless that was reverted.
func (o Outcome) HasChange() bool { return o != NotOpen && o != Late }

// Gate is what the devices of a wave must have shown before the next wave opens.
type Gate struct {
	Verified int           `json:"verified"` // at least so many percent of the devices heard from are verified
	Failed   int           `json:"failed"`   // at most so many percent of them failed
	Soak     time.Duration `json:"soak"`     // at least so long since the wave opened
	// at least so many percent of the devices online at the opening were heard since
	Heard int `json:"heard"`
}

// DefaultGate is the gate where nothing else is said.
var DefaultGate = Gate{Verified: 80, Failed: 2, Soak: 30 * time.Minute, Heard: 90}

// Wave is the devices that get the change together.
type Wave struct {
	Title    string     `json:"title"` // such as first-wave, 10 % or the rest
	Drawn    int        `json:"drawn"` // devices when the waves were drawn
	Gate     Gate       `json:"gate"`
	OpenedAt *time.Time `json:"opened_at"` // nil while it is not open
	JudgedAt *time.Time `json:"judged_at"` // since when reports count: when it opened, or went on after a stop
	PassedAt *time.Time `json:"passed_at"` // when its gate was passed
	Tally    Tally      `json:"tally"`
	// Online counts the devices that were online when they were told, and OnlineHeard those of them heard from since.
	Online      int `json:"online"`
	OnlineHeard int `json:"online_heard"`
	// Joined counts the devices that joined by themselves since JoinsFrom, after the wave had opened.
	Joined    int       `json:"joined,omitempty"`
	JoinsFrom time.Time `json:"joins_from,omitzero"`
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
	Online   bool      `json:"online,omitempty"`   // when it was told
}

// Rollout is a change on its way. It is altered by [Rollout.Apply] alone.
type Rollout struct {
	State     State             `json:"state"`
	Waves     []Wave            `json:"waves"`
	Devices   map[string]Device `json:"devices"` // by identifier
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
	return there && r.State != Reverted && r.Waves[d.Wave].OpenedAt != nil && d.Outcome != Late
}

// set puts a device into an outcome and keeps the tally of its wave.
func (r *Rollout) set(device string, to Device) {
	if from, there := r.Devices[device]; there {
		r.Waves[from.Wave].count(from, -1)
	}
	r.Devices[device] = to
	r.Waves[to.Wave].count(to, 1)
}

func (r *Rollout) forget(device string) {
	if from, there := r.Devices[device]; there {
		r.Waves[from.Wave].count(from, -1)
		delete(r.Devices, device)
	}
}

// count adds a device to the sums of the wave, or takes it out of them.
func (w *Wave) count(d Device, by int) {
	w.Tally[d.Outcome] += by
	if d.Online {
		w.Online += by
		if slices.Contains(heard, d.Outcome) {
			w.OnlineHeard += by
		}
	}
}

// Recount works out the sums of the waves again, for a rollout whose devices were put into it.
func (r *Rollout) Recount() {
	for i := range r.Waves {
		r.Waves[i].Tally, r.Waves[i].Online, r.Waves[i].OnlineHeard = Tally{}, 0, 0
	}
	for _, d := range r.Devices {
		if d.Wave >= 0 && d.Wave < len(r.Waves) {
			r.Waves[d.Wave].count(d, 1)
		}
	}
}

// Late are the devices that wait to join, by identifier.
func (r *Rollout) Late() (list []string) {
	for id, d := range r.Devices {
		if d.Outcome == Late {
			list = append(list, id)
		}
	}
	slices.Sort(list)
	return list
}
