package planning

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

	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/store"
)

// UnderWay is a rollout under way with the edits that go out, for devices with an index.
type UnderWay struct {
	store.Rollout
	Edits []change.Step
	Err   error // why they cannot be made
}

// ReadUnderWay reads the edits of rollouts. What cannot be read is said there.
func ReadUnderWay(records []store.Rollout, in change.Context) []UnderWay {
	rollouts := make([]UnderWay, len(records))
	for i, r := range records {
		rollouts[i] = UnderWay{Rollout: r}
		rollouts[i].Edits, rollouts[i].Err = steps(r.Edits, in)
	}
	return rollouts
}

func steps(records []store.ChangeEdit, in change.Context) ([]change.Step, error) {
	edits := make([]change.Step, len(records))
	for i, r := range records {
		e, err := r.Edit()
		if err != nil {
			return nil, err
		}
		if edits[i], err = change.Read(e, in); err != nil {
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
func ReadsFacts(rollouts []UnderWay) bool {
	return slices.ContainsFunc(rollouts, func(f UnderWay) bool {
		return slices.ContainsFunc(f.Edits, func(e change.Step) bool { return e.Group != nil && e.Group.Rule != nil })
	})
}

// NamedByRollouts are the things that rollouts bring in beside what is in force.
func NamedByRollouts(tx Names, rollouts []UnderWay) (Beside, error) {
	var all []change.Step
	for _, f := range rollouts {
		all = append(all, f.Edits...)
	}
	return NamedByEdits(tx, all, nil)
}

// Overlaid is what devices are to have while rollouts are under way.
type Overlaid struct {
	Base     *plan.Plan // without any of them
	in       plan.Inputs
	rollouts []UnderWay
	with     map[string]*plan.Plan // by the rollouts that a device has
	errs     map[string]error
}

// Overlay plans for devices without any rollout; what is with some is planned when it is asked for.
func Overlay(in plan.Inputs, rollouts []UnderWay) *Overlaid {
	return &Overlaid{
		Base: plan.Run(in, fleet.InTurn), in: in, rollouts: rollouts, with: map[string]*plan.Plan{},
		errs: map[string]error{},
	}
}

// With is the plan for devices that have the changes of some rollouts, by sorted identifier. The error says which edit
// cannot be made.
func (o *Overlaid) With(rollouts []string) (*plan.Plan, error) {
	if len(rollouts) == 0 {
		return o.Base, nil
	}
	key := strings.Join(rollouts, " ")
	if p := o.with[key]; p != nil || o.errs[key] != nil {
		return p, o.errs[key]
	}
	in := o.in
	for _, f := range o.rollouts {
		if !slices.Contains(rollouts, f.ID) {
			continue
		}
		err := f.Err
		if err == nil {
			in, err = change.Apply(in, f.Edits)
		}
		if err != nil {
			o.errs[key] = err
			return nil, err
		}
	}
	o.with[key] = plan.RunAfter(o.Base, in, fleet.InTurn)
	return o.with[key], nil
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

// Moves says which devices come into rollouts and leave them, of those that were planned for, and why they were. In has
// the devices that are in them, by rollout.
func (o *Overlaid) Moves(ids []string, in map[string]map[string]bool, why string) []Move {
	var moves []Move
	for _, f := range o.rollouts {
		if f.State.Ended() {
			continue
		}
		m := Move{Rollout: f.Name, Units: Affected{}}
		with, err := o.With([]string{f.ID})
		if err != nil {
			if f.State != rollout.Stopped {
				moves = append(moves, Move{Rollout: f.Name, Halt: err.Error()})
			}
			continue
		}
		affected := AffectedBy(o.Base, with, func(d int) string { return ids[d] })
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
	inForce map[string]int, rollouts []UnderWay, latest map[string]PolicyInUse, carried []string,
) map[string]int {
	revisions := maps.Clone(inForce)
	for name, p := range latest {
		if _, there := revisions[name]; !there {
			revisions[name] = p.Revision
		}
	}
	for _, f := range rollouts {
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

// Touched is what is needed of the records to know what rollouts under way touch.
type Touched interface {
	UnderWay(things []string, except string) (name, thing string, err error)
}

// NotTouched refuses things, such as "group tills", that a rollout under way touches, other than that of a change.
func NotTouched(tx Touched, except string, things ...string) error {
	name, thing, err := tx.UnderWay(things, except)
	if err == nil && name != "" {
		err = refusal.New(refusal.Conflict, "the change %q is on its way and touches the %s; wait until its rollout "+
			"has ended, or revert it", name, thing).
			WithCode("under_way")
	}
	return err
}
