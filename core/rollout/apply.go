package rollout

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/unit"
)

// Apply has an event happen at a time. It gives the decisions that were taken for it, which are also kept. The error is
// an [ErrState], [ErrReason] or [ErrReport]; nothing has happened then. A time before that of the last event counts as
// it: a clock that jumps back takes no soak time away, and one that jumps on is bounded by whoever reads the clock.
func (r *Rollout) Apply(e Event, at time.Time) ([]Decision, error) { return r.ApplyAll([]Event{e}, at) }

// ApplyAll has events happen at one time, before any gate is read: that a device failed is known before another one
// that was verified can open a wave. The error is that of the first that cannot happen; those before it have happened.
func (r *Rollout) ApplyAll(events []Event, at time.Time) ([]Decision, error) {
	if n := len(r.Decisions); n > 0 && at.Before(r.Decisions[n-1].At) {
		at = r.Decisions[n-1].At
	}
	before := len(r.Decisions)
	for _, e := range events {
		if err := r.happen(e, at); err != nil {
			return nil, err
		}
	}
	r.judge(at)
	return slices.Clone(r.Decisions[before:]), nil
}

func (r *Rollout) happen(e Event, at time.Time) error {
	switch e := e.(type) {
	case Start:
		return r.start(e, at)
	case Pause:
		return r.pause(e, at)
	case Resume:
		return r.resume(e, at)
	case OpenNext:
		return r.openNext(e, at)
	case AskOpen:
		return r.askOpen(e, at)
	case Revert:
		return r.revert(e, at)
	case Halt:
		return r.halt(e, at)
	case Unwatched:
		r.unwatched(e, at)
	case Report:
		return r.report(e)
	case Join:
		r.join(e, at)
	case Present:
		r.present(e.Device)
	case Silence:
		r.silence(e.Device)
	case Leave:
		r.forget(e.Device)
	}
	return nil
}

func (r *Rollout) start(e Start, at time.Time) error {
	if r.State != Draft {
		return &StateError{"start it", r.State, "it has been started already"}
	}
	r.State = Running
	r.decide(Decision{At: at, By: e.By, What: Started, Wave: -1})
	r.open(0, at)
	return nil
}

func (r *Rollout) pause(e Pause, at time.Time) error {
	if r.State != Running {
		return &StateError{"pause it", r.State, "only a running rollout is paused"}
	}
	r.State = Paused
	r.decide(Decision{At: at, By: e.By, What: WasPaused, Wave: r.Open(), Reason: e.Reason})
	return nil
}

func (r *Rollout) resume(e Resume, at time.Time) error {
	if r.State != Paused && r.State != Stopped {
		return &StateError{"resume it", r.State, "only a paused or stopped rollout is resumed"}
	}
	if r.State == Stopped {
		if strings.TrimSpace(e.Reason) == "" {
			return fmt.Errorf("a gate stopped it: %w, which says why it may go on", ErrReason)
		}
		r.judgeAnew(at)
	}
	if e.Edited {
		r.tellAnew(at)
	}
	r.State = Running
	r.decide(Decision{At: at, By: e.By, What: Resumed, Wave: r.Open(), Reason: e.Reason, Edited: e.Edited})
	for _, device := range r.Late() {
		r.set(device, Device{Wave: r.Devices[device].Wave, Outcome: Told})
	}
	for i := range r.Waves {
		r.Waves[i].Joined = 0
	}
	return nil
}

// judgeAnew waits for another report of the devices that failed or refused, and has the open wave soak again.
func (r *Rollout) judgeAnew(at time.Time) {
	r.Waves[r.Open()].JudgedAt = &at
	for id, d := range r.Devices {
		if d.Outcome == Failed || d.Outcome == GuardRefused || d.Outcome == Lost {
			r.set(id, Device{Wave: d.Wave, Outcome: Told, Online: d.Online})
		}
	}
}

// tellAnew waits for another report of every device that has the change, and has the open wave soak again.
func (r *Rollout) tellAnew(at time.Time) {
	r.Waves[r.Open()].JudgedAt = &at
	for id, d := range r.Devices {
		if d.Outcome.HasChange() {
			r.set(id, Device{Wave: d.Wave, Outcome: Told, Online: d.Online})
		}
	}
}

// mayOpenNext gives the wave that comes next, unless none may be opened before its time.
func (r *Rollout) mayOpenNext(reason string) (next int, err error) {
	next = r.Open() + 1
	switch {
	case r.State != Running:
		err = &StateError{"open the next wave", r.State, "resume it first"}
	case next == len(r.Waves):
		err = &StateError{"open another wave", r.State, "the last one is open already"}
	case strings.TrimSpace(reason) == "":
		err = fmt.Errorf("the gate was not passed: %w, which says why the next wave opens early", ErrReason)
	}
	return next, err
}

func (r *Rollout) askOpen(e AskOpen, at time.Time) error {
	next, err := r.mayOpenNext(e.Reason)
	if err != nil {
		return err
	}
	r.Asked = &Asked{By: e.By, Reason: e.Reason, Wave: next}
	r.decide(Decision{At: at, By: e.By, What: AskedToOpen, Wave: next, Reason: e.Reason})
	return nil
}

func (r *Rollout) halt(e Halt, at time.Time) error {
	if r.State != Running && r.State != Paused {
		return &StateError{"stop it", r.State, "only one that is under way is stopped"}
	}
	r.State = Stopped
	r.decide(Decision{At: at, What: Halted, Wave: r.Open(), Reason: e.Why})
	return nil
}

// unwatched takes time out of the soak of the open wave, never more than there was.
func (r *Rollout) unwatched(e Unwatched, at time.Time) {
	if open := r.Open(); open >= 0 && e.For > 0 && !r.State.Ended() {
		since := r.Waves[open].JudgedAt.Add(e.For)
		if since.After(at) {
			since = at
		}
		r.Waves[open].JudgedAt = &since
	}
}

func (r *Rollout) openNext(e OpenNext, at time.Time) error {
	next, err := r.mayOpenNext(e.Reason)
	if err != nil {
		return err
	}
	r.decide(Decision{At: at, By: e.By, What: OpenedEarly, Wave: next, Reason: e.Reason})
	r.open(next, at)
	return nil
}

func (r *Rollout) revert(e Revert, at time.Time) error {
	if r.State == Draft || r.State == Reverted {
		return &StateError{"revert it", r.State, "no device has the change"}
	}
	for _, device := range r.Late() { // they never had it
		r.forget(device)
	}
	r.State, r.GiveBack, r.Asked = Reverted, e.GiveBack, nil
	r.decide(Decision{At: at, By: e.By, What: WasReverted, Wave: -1, Reason: e.Reason, GiveBack: e.GiveBack})
	return nil
}

func (r *Rollout) report(e Report) error {
	if !slices.Contains(heard, e.Outcome) {
		return fmt.Errorf("%w: %q", ErrReport, e.Outcome)
	}
	d, there := r.Devices[e.Device]
	if !there || !r.Has(e.Device) {
		return nil
	}
	d.Outcome, d.Settings = e.Outcome, e.Settings
	r.set(e.Device, d)
	return nil
}

// present notes that a device was online when it was told.
func (r *Rollout) present(device string) {
	if d, there := r.Devices[device]; there && d.Outcome.HasChange() && !d.Online {
		d.Online = true
		r.set(device, d)
	}
}

// silence counts a device as failed that was online when it was told, and was not heard with an outcome since.
func (r *Rollout) silence(device string) {
	d, there := r.Devices[device]
	if there && d.Online && r.Has(device) && (d.Outcome == Told || d.Outcome == Working) {
		d.Outcome = Lost
		r.set(device, d)
	}
}

func (r *Rollout) open(wave int, at time.Time) {
	w := &r.Waves[wave]
	r.Asked = nil
	w.OpenedAt, w.JudgedAt = &at, &at
	for id, d := range r.Devices {
		if d.Wave == wave {
			r.set(id, Device{Wave: wave, Outcome: Told})
		}
	}
	r.decide(Decision{At: at, What: WaveOpened, Wave: wave})
}

// judge reads the gates of a running rollout, and does what they say: any open wave can stop it, also one that has
// passed and of which a device came back late; the last one opens the next.
func (r *Rollout) judge(at time.Time) {
	for r.State == Running {
		last := r.Open()
		var readings []Reading
		for wave := range last + 1 {
			readings = r.Waves[wave].Readings(at)
			if b := broken(readings); b != nil {
				r.State = Stopped
				devices, settings := r.culprits(wave, b.Condition)
				r.decide(Decision{
					At: at, What: GateStopped, Wave: wave, Broken: b, Count: len(devices),
					Devices: devices[:min(len(devices), MostNamed)], Settings: settings,
				})
				return
			}
		}
		if !passed(readings) {
			return
		}
		r.Waves[last].PassedAt = &at
		r.decide(Decision{At: at, What: GatePassed, Wave: last})
		if last == len(r.Waves)-1 {
			r.State = Done
			r.decide(Decision{At: at, What: Finished, Wave: -1})
			return
		}
		r.open(last+1, at)
	}
}

// culprits are the devices of a wave that broke a condition, those that were lost first and then by identifier, and the
// settings on them.
func (r *Rollout) culprits(wave int, broken Condition) (devices []string, settings []unit.ID) {
	outcomes := []Outcome{Lost, Failed}
	if broken == NoneRefused {
		outcomes = []Outcome{GuardRefused}
	}
	for _, outcome := range outcomes {
		from := len(devices)
		for id, d := range r.Devices {
			if d.Wave == wave && d.Outcome == outcome {
				devices = append(devices, id)
				settings = append(settings, d.Settings...)
			}
		}
		slices.Sort(devices[from:])
	}
	slices.SortFunc(settings, unit.ID.Compare)
	return devices, slices.Compact(settings)
}

func (r *Rollout) decide(d Decision) { r.Decisions = append(r.Decisions, d) }
