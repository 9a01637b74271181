package underway

import (
	"maps"
	"slices"
	"strings"

	"rankwarden.example/core/change"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/preview"
	"rankwarden.example/core/rollout"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/base/drafted"
	"rankwarden.example/internal/base/inforce"
	"rankwarden.example/internal/store"
)

// Flight is a rollout under way with the edits that go out, for devices with an index.
type Flight struct {
	store.Rollout
	Edits []change.Edit
	Err   error // why they cannot be made
}

// Flights reads the edits of rollouts, for devices with an index by folded name. What cannot be read is in the flight.
func Flights(records []store.Rollout, index map[string]int) ([]Flight, error) {
	flights := make([]Flight, len(records))
	for i, r := range records {
		flights[i] = Flight{Rollout: r}
		flights[i].Edits, flights[i].Err = Edits(r.Edits, index)
	}
	return flights, nil
}

// Edits are stored edits as the core has them.
func Edits(records []store.ChangeEdit, index map[string]int) ([]change.Edit, error) {
	edits := make([]change.Edit, len(records))
	for i, r := range records {
		e, err := drafted.Of(r)
		if err != nil {
			return nil, err
		}
		if edits[i], err = e.Made(index); err != nil {
			return nil, err
		}
	}
	return edits, nil
}

// SameEdits reports whether two lists of edits do the same.
func SameEdits(a, b []store.ChangeEdit) bool {
	return slices.EqualFunc(a, b, func(x, y store.ChangeEdit) bool {
		return x.Kind == y.Kind && x.Name == y.Name && x.BasedOn == y.BasedOn && x.Body == y.Body
	})
}

// ReadsFacts reports whether a rule of an edited group must be worked out.
func ReadsFacts(flights []Flight) bool {
	return slices.ContainsFunc(flights, func(f Flight) bool {
		return slices.ContainsFunc(f.Edits, func(e change.Edit) bool { return e.Group != nil && e.Group.Rule != nil })
	})
}

// Also are the things that flights bring in beside what is in force.
func Also(tx drafted.Names, flights []Flight) (inforce.Also, error) {
	var all []change.Edit
	for _, f := range flights {
		all = append(all, f.Edits...)
	}
	return drafted.Named(tx, all, nil)
}

// Sky is what devices are to have while rollouts are under way.
type Sky struct {
	Base    *plan.Plan // without any of them
	in      plan.Inputs
	flights []Flight
	with    map[string]*plan.Plan // by the rollouts that a device has
	errs    map[string]error
}

// NewSky plans for devices without any rollout; what is with some is planned when it is asked for.
func NewSky(in plan.Inputs, flights []Flight) *Sky {
	return &Sky{
		Base: plan.Run(
			in,
			fleet.InTurn,
		), in: in, flights: flights, with: map[string]*plan.Plan{}, errs: map[string]error{},
	}
}

// With is the plan for devices that have the changes of some rollouts, by sorted identifier. The error says which edit
// cannot be made.
func (s *Sky) With(rollouts []string) (*plan.Plan, error) {
	if len(rollouts) == 0 {
		return s.Base, nil
	}
	key := strings.Join(rollouts, " ")
	if p := s.with[key]; p != nil || s.errs[key] != nil {
		return p, s.errs[key]
	}
	in := s.in
	for _, f := range s.flights {
		if !slices.Contains(rollouts, f.ID) {
			continue
		}
		err := f.Err
		if err == nil {
			in, err = change.Apply(in, f.Edits)
		}
		if err != nil {
			s.errs[key] = err
			return nil, err
		}
	}
	s.with[key] = plan.RunAfter(s.Base, in, fleet.InTurn)
	return s.with[key], nil
}

// Affected are the settings that a change alters, by the identifier of the device.
type Affected map[string][]unit.ID

// AffectedBy compares two plans of one fleet: devices of which something else is desired, with the settings.
func AffectedBy(before, after *plan.Plan, id func(device int) string) Affected {
	c := preview.NewComparison(before, after)
	affected := Affected{}
	for d := range before.Devices {
		if !c.Touches(d) {
			continue
		}
		if units := c.Difference(d, nil).Units(); len(units) > 0 {
			affected[id(d)] = units
		}
	}
	return affected
}

// Move is what becomes of devices in a rollout, because they came, left, or are in other groups now.
type Move struct {
	Rollout string // name
	Events  []rollout.Event
	Units   Affected // of devices that come
	Halt    string   // why the change cannot be made any more, empty when it can
}

// Moves says which devices come into rollouts and leave them, of those that were planned for, and why they were. In has the
// devices that are in them, by rollout.
func (s *Sky) Moves(ids []string, in map[string]map[string]bool, why string) []Move {
	var moves []Move
	for _, f := range s.flights {
		if f.State.Ended() {
			continue
		}
		m := Move{Rollout: f.Name, Units: Affected{}}
		with, err := s.With([]string{f.ID})
		if err != nil {
			if f.State != rollout.Stopped {
				moves = append(moves, Move{Rollout: f.Name, Halt: err.Error()})
			}
			continue
		}
		affected := AffectedBy(s.Base, with, func(d int) string { return ids[d] })
		joins := rollout.Join{Why: why}
		for _, id := range ids {
			switch member := in[f.ID][id]; {
			case affected[id] == nil && member:
				m.Events = append(m.Events, rollout.Leave{Device: id})
			case affected[id] != nil && !member:
				joins.Devices = append(joins.Devices, id)
				m.Units[id] = affected[id]
			}
		}
		if len(joins.Devices) > 0 {
			m.Events = append(m.Events, joins)
		}
		if len(m.Events) > 0 {
			moves = append(moves, m)
		}
	}
	return moves
}

// Revisions are the numbers under which edited policies are going to be known, by name, over those that are in force.
func Revisions(
	inForce map[string]int,
	flights []Flight,
	latest map[string]inforce.PolicyInUse,
	carried []string,
) map[string]int {
	revisions := maps.Clone(inForce)
	for name, p := range latest {
		if _, there := revisions[name]; !there {
			revisions[name] = p.Revision
		}
	}
	for _, f := range flights {
		if !slices.Contains(carried, f.ID) {
			continue
		}
		for _, e := range f.Edits {
			if e.Kind == change.Publish {
				revisions[e.Name]++
			}
		}
	}
	return revisions
}
