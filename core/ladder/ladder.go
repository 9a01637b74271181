// Package ladder shows how assignments decide settings: rung by rung, strongest rank first, with what each asks of
// every setting and what became of it.
//
// Devices that meet the same assignments are one [Way] of meeting them, so that a group or a whole fleet is a few ways
// with the numbers of their devices.
package ladder

import (
	"cmp"
	"slices"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/unit"
)

// State says what became of a claim.
type State string

// The states of a claim.
const (
	Decides   State = "decides"   // its value is the one in force, or part of it
	Agrees    State = "agrees"    // weaker, and asks for what is in force anyway
	Loses     State = "loses"     // outranked, less strict, or ignored; [Cell.Why] says which
	Contested State = "contested" // of equal rank as another that differs, and nothing decides
	Trial     State = "trial"     // of a trial assignment, which changes nothing
)

// Way is what some devices meet.
type Way struct {
	Devices []int // indexes, ascending
	Rungs   []Rung
	Settled []Settled // by setting
	Err     error     // a policy that cannot be used, so that nothing is settled; nil otherwise
}

// Rung is one assignment.
type Rung struct {
	assign.Assignment
	Undecided bool   // it would apply if a fact were known
	Cells     []Cell // by setting
}

// Cell is what an assignment asks of one setting.
type Cell struct {
	Unit  unit.ID
	Value unit.Value
	State State
	Why   resolve.Why // why it loses; empty otherwise
}

// Settled is what a setting comes to.
type Settled struct {
	resolve.Unit
	Held *resolve.HeldUnit // nil when it is not held
}

// Ways are those in which devices of a plan meet assignments, the most devices first; only devices that wanted reports
// true for.
func Ways(p *plan.Plan, wanted func(device int) bool) []Way {
	var ways []Way
	for i := range p.Scopes {
		devices := slices.DeleteFunc(slices.Clone(p.Scopes[i].Devices), func(d int) bool { return !wanted(d) })
		if len(devices) > 0 {
			ways = append(ways, way(p, &p.Scopes[i], devices))
		}
	}
	slices.SortStableFunc(ways, func(a, b Way) int {
		return cmp.Or(cmp.Compare(len(b.Devices), len(a.Devices)), cmp.Compare(a.Devices[0], b.Devices[0]))
	})
	return ways
}

func way(p *plan.Plan, scope *plan.Scope, devices []int) Way {
	w := Way{Devices: devices, Err: scope.Err}
	units := map[unit.ID]resolve.Unit{}
	for _, u := range scope.Enforced.Units {
		units[u.Unit] = u
	}
	for _, at := range scope.Applying {
		w.Rungs = append(w.Rungs, Rung{Assignment: p.Assignments[at], Cells: cells(p, at, units)})
	}
	for _, at := range scope.Undecided {
		w.Rungs = append(w.Rungs, Rung{Assignment: p.Assignments[at], Undecided: true, Cells: cells(p, at, nil)})
	}
	slices.SortStableFunc(w.Rungs, func(a, b Rung) int {
		return cmp.Or(cmp.Compare(a.Rank, b.Rank), cmp.Compare(a.Name, b.Name))
	})
	held := map[unit.ID]resolve.HeldUnit{}
	for _, h := range scope.Enforced.Held(nil) {
		held[h.Unit] = h
	}
	for _, u := range scope.Enforced.Units {
		s := Settled{Unit: u}
		if h, is := held[u.Unit]; is {
			s.Held = &h
		}
		w.Settled = append(w.Settled, s)
	}
	return w
}

// cells are the claims of an assignment by its index, with what became of each among the settled units.
func cells(p *plan.Plan, at int, units map[unit.ID]resolve.Unit) []Cell {
	list := []Cell{}
	a := p.Assignments[at]
	for _, ask := range p.Asks(at) {
		c := Cell{Unit: ask.Unit, Value: ask.Value, State: Decides}
		if a.Stance == assign.Trial || units == nil {
			c.State = Trial
		}
		for _, lost := range units[ask.Unit].Over {
			if lost.Assignment == a.Name {
				c.State, c.Why = outcome(lost.Why)
			}
		}
		list = append(list, c)
	}
	return list
}

func outcome(why resolve.Why) (State, resolve.Why) {
	switch why {
	case resolve.Same:
		return Agrees, ""
	case resolve.Disputed:
		return Contested, ""
	}
	return Loses, why
}

// InGroup selects the devices that are certainly in a group of the plan.
func InGroup(p *plan.Plan, group string) func(device int) bool {
	return func(device int) bool { return p.In(group, device) == assign.Yes }
}

// Only selects one device by its name.
func Only(devices []fleet.Facts, name string) func(device int) bool {
	return func(device int) bool { return devices[device].Name == name }
}
