package scenario

import (
	"errors"
	"fmt"
	"slices"
	"time"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/rollout"
	"rankwarden.example/core/unit"
)

// ErrNoRollout is the error for a scenario without a rollout where one is needed.
var ErrNoRollout = errors.New(
	`the file has no "rollout:"; add one with a list of events, such as "- {at: 0s, do: start, by: asta}"`,
)

// rolloutFile is how the change of a scenario is to go out, and what happens then, as it is written.
type rolloutFile struct {
	First  []string    `json:"first"  yaml:"first"`
	Shares []int       `json:"shares" yaml:"shares"`
	Gate   *gateFile   `json:"gate"   yaml:"gate"`
	Events []eventFile `json:"events" yaml:"events"`
}

type gateFile struct {
	Verified *int   `json:"verified" yaml:"verified"`
	Failed   *int   `json:"failed"   yaml:"failed"`
	Soak     string `json:"soak"     yaml:"soak"`
	Heard    *int   `json:"heard"    yaml:"heard"`
}

// eventFile is one event: something that a person does, or devices of which something becomes known, or just time.
type eventFile struct {
	At       string   `json:"at"        yaml:"at"` // since the beginning, such as 35m
	Do       string   `json:"do"        yaml:"do"`
	By       string   `json:"by"        yaml:"by"`
	Reason   string   `json:"reason"    yaml:"reason"`
	GiveBack bool     `json:"give_back" yaml:"give_back"`
	Settings []string `json:"settings"  yaml:"settings"`

	Working      []string `json:"working"       yaml:"working"`
	Verified     []string `json:"verified"      yaml:"verified"`
	Failed       []string `json:"failed"        yaml:"failed"`
	GuardRefused []string `json:"guard_refused" yaml:"guard_refused"`
	Held         []string `json:"held"          yaml:"held"`
	Online       []string `json:"online"        yaml:"online"`
	Silent       []string `json:"silent"        yaml:"silent"`
	Joins        []string `json:"joins"         yaml:"joins"`
	Leaves       []string `json:"leaves"        yaml:"leaves"`
}

// Everyone stands for every device that has the change at that moment, in a list of devices of an event.
const Everyone = "everyone"

// Rollout is how the change of a scenario is to go out, and what happens then.
type Rollout struct {
	Plan   rollout.Plan
	Events []Happening
}

// Happening is what happens at one time.
type Happening struct {
	After   time.Duration
	Event   rollout.Event // of a person; nil for one of devices, or just time
	Devices []DeviceEvent
}

// DeviceEvent is what becomes known of a device.
type DeviceEvent struct {
	Device string // or [Everyone]
	Make   func(device string) rollout.Event
}

func (f *file) rollout(s *Scenario) error {
	if f.Rollout == nil {
		return nil
	}
	r := &Rollout{Plan: rollout.DefaultPlan}
	r.Plan.First = f.Rollout.First
	for i, name := range f.Rollout.First {
		if !slices.ContainsFunc(s.Groups, func(g fleet.Group) bool { return g.Name == name }) {
			return fail(fmt.Sprintf("rollout.first[%d]", i), "there is no group %q", name)
		}
	}
	if f.Rollout.Shares != nil {
		r.Plan.Shares = f.Rollout.Shares
	}
	if err := f.Rollout.Gate.put(&r.Plan.Gate); err != nil {
		return err
	}
	if err := r.Plan.Check(); err != nil {
		return &Error{"rollout", err}
	}
	last, known := time.Duration(0), map[string]bool{Everyone: true}
	for _, d := range s.Devices {
		known[d.Name] = true
	}
	for i, e := range f.Rollout.Events {
		where := fmt.Sprintf("rollout.events[%d]", i)
		h, err := e.build(where, known)
		if err != nil {
			return err
		}
		if h.After < last {
			return fail(where+".at", "events come in order, and %s is before %s", h.After, last)
		}
		last = h.After
		r.Events = append(r.Events, h)
	}
	s.Rollout = r
	return nil
}

func (g *gateFile) put(into *rollout.Gate) error {
	if g == nil {
		return nil
	}
	if g.Verified != nil {
		into.Verified = *g.Verified
	}
	if g.Failed != nil {
		into.Failed = *g.Failed
	}
	if g.Heard != nil {
		into.Heard = *g.Heard
	}
	if g.Soak == "" {
		return nil
	}
	soak, err := time.ParseDuration(g.Soak)
	if err != nil {
		return fail("rollout.gate.soak", "%q is not a time such as 30m or 20s", g.Soak)
	}
	into.Soak = soak
	return nil
}

// build reads an event; devices that join are known from then on.
func (e *eventFile) build(where string, known map[string]bool) (Happening, error) {
	after, err := time.ParseDuration(e.At)
	if err != nil || after < 0 {
		return Happening{}, fail(where+".at", "%q is not a time since the beginning, such as 35m or 20s", e.At)
	}
	h := Happening{After: after}
	var settings []unit.ID
	for i, name := range e.Settings {
		id, err := unit.Parse(name)
		if err != nil {
			return h, &Error{fmt.Sprintf("%s.settings[%d]", where, i), err}
		}
		settings = append(settings, id)
	}
	report := func(outcome rollout.Outcome) func(string) rollout.Event {
		return func(device string) rollout.Event {
			r := rollout.Report{Device: device, Outcome: outcome}
			if outcome == rollout.Failed || outcome == rollout.GuardRefused || outcome == rollout.Held {
				r.Settings = settings
			}
			return r
		}
	}
	for _, list := range []struct {
		key     string
		devices []string
		make    func(device string) rollout.Event
	}{
		{"working", e.Working, report(rollout.Working)},
		{"verified", e.Verified, report(rollout.Verified)},
		{"failed", e.Failed, report(rollout.Failed)},
		{"guard_refused", e.GuardRefused, report(rollout.GuardRefused)},
		{"held", e.Held, report(rollout.Held)},
		{"online", e.Online, func(d string) rollout.Event { return rollout.Present{Device: d} }},
		{"silent", e.Silent, func(d string) rollout.Event { return rollout.Silence{Device: d} }},
		{"joins", e.Joins, func(d string) rollout.Event { return rollout.Join{Devices: []string{d}, Why: e.Reason} }},
		{"leaves", e.Leaves, func(d string) rollout.Event { return rollout.Leave{Device: d} }},
	} {
		for i, device := range list.devices {
			if list.key == "joins" {
				known[device] = true
			}
			if !known[device] {
				return h, fail(fmt.Sprintf("%s.%s[%d]", where, list.key, i), "there is no device %q", device)
			}
			h.Devices = append(h.Devices, DeviceEvent{device, list.make})
		}
	}
	h.Event, err = e.done(where)
	if err == nil && h.Event != nil && len(h.Devices) > 0 {
		err = fail(where, "one event is what a person does, or what becomes known of devices; write two")
	}
	return h, err
}

func (e *eventFile) done(where string) (rollout.Event, error) {
	switch e.Do {
	case "":
		return nil, nil
	case "start":
		return rollout.Start{By: e.By}, nil
	case "pause":
		return rollout.Pause{By: e.By, Reason: e.Reason}, nil
	case "resume":
		return rollout.Resume{By: e.By, Reason: e.Reason}, nil
	case "open":
		return rollout.OpenNext{By: e.By, Reason: e.Reason}, nil
	case "revert":
		return rollout.Revert{By: e.By, Reason: e.Reason, GiveBack: e.GiveBack}, nil
	}
	return nil, fail(where+".do", "%q is not done with a rollout; write start, pause, resume, open or revert", e.Do)
}

// Rehearsal is a rollout that is played without a service.
type Rehearsal struct {
	*rollout.Rollout
	Affected int
	Steps    []Step
}

// Step is one event of a rehearsal with what it led to.
type Step struct {
	After     time.Duration
	Happening Happening
	Refused   []error            // why an event was refused
	Decisions []rollout.Decision // that were taken for it
	State     rollout.State
	Open      int             // index of the last open wave, -1 before the first
	Tallies   []rollout.Tally // of the waves
}

// Rehearse draws the waves of the change and plays the events, with what is independent done as each does. The error is
// [ErrNoChange], [ErrNoRollout], or a change.Error that says which edit cannot be made.
func (s *Scenario) Rehearse(each fleet.Each) (*Rehearsal, error) {
	if s.Rollout == nil {
		return nil, ErrNoRollout
	}
	before, after, err := s.futures(each)
	if err != nil {
		return nil, err
	}
	index := map[string]int{}
	for i, d := range s.Devices {
		index[d.Name] = i
	}
	p := s.previewed(before, after, each)
	affected := make([]string, len(p.Affected))
	for i, a := range p.Affected {
		affected[i] = a.Device
	}
	in := func(device, group string) bool { return after.In(group, index[device]) == assign.Yes }
	r := &Rehearsal{Rollout: rollout.Drawn(affected, in, s.Rollout.Plan), Affected: len(affected)}
	for _, h := range s.Rollout.Events {
		r.play(h)
	}
	return r, nil
}

// began is when a rehearsal begins; only what lies between events counts.
var began = time.Date(2031, 3, 4, 6, 0, 0, 0, time.UTC)

func (r *Rehearsal) play(h Happening) {
	step := Step{After: h.After, Happening: h}
	apply := func(events ...rollout.Event) {
		decisions, err := r.ApplyAll(events, began.Add(h.After))
		if err != nil {
			step.Refused = append(step.Refused, err)
		}
		step.Decisions = append(step.Decisions, decisions...)
	}
	apply(rollout.Tick{}) // what is due by then comes first
	if h.Event != nil {
		apply(h.Event)
	}
	var known []rollout.Event
	var joins rollout.Join // together, since many are judged otherwise than one after the other
	for _, d := range h.Devices {
		for _, device := range r.devices(d.Device) {
			event := d.Make(device)
			if j, comes := event.(rollout.Join); comes {
				joins.Devices, joins.Why = append(joins.Devices, j.Devices...), j.Why
				continue
			}
			known = append(known, event)
		}
	}
	if len(joins.Devices) > 0 {
		known = append(known, joins)
	}
	apply(known...)
	step.State, step.Open = r.State, r.Open()
	for _, w := range r.Waves {
		tally := rollout.Tally{}
		for outcome, n := range w.Tally {
			if n > 0 {
				tally[outcome] = n
			}
		}
		step.Tallies = append(step.Tallies, tally)
	}
	r.Steps = append(r.Steps, step)
}

// devices are those that a name in a list stands for, by name.
func (r *Rehearsal) devices(name string) []string {
	if name != Everyone {
		return []string{name}
	}
	var all []string
	for d := range r.Devices {
		if r.Has(d) {
			all = append(all, d)
		}
	}
	slices.Sort(all)
	return all
}
