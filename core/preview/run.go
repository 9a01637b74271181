package preview

import (
	"cmp"
	"slices"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/effect"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/unit"
	"rankwarden.example/core/warrant"
)

// Device is what is known of one device beside what it is desired to have.
type Device struct {
	State    *drift.State    // its last report, nil when it never reported
	Previous []unit.Setting  // its last desired state, nil when none is known
	Warrants warrant.Running // what runs on it, without the edits and with them
}

// Fleet gives what is known of a device by its index.
type Fleet func(device int) Device

// Comparison is two plans of one fleet, of which the second has the edits. It is ready to be asked about single
// devices, by several goroutines at once.
type Comparison struct {
	before, after *plan.Plan
	pairs         map[[2]*plan.Scope]*pair
}

// pair is what the devices have in common that are of the same scope in both plans.
type pair struct {
	before, after resolve.Lane
	shared        *Difference // nil when it depends on what each device was last told
}

// NewComparison compares two plans of the same devices.
func NewComparison(before, after *plan.Plan) *Comparison {
	c := &Comparison{before: before, after: after, pairs: map[[2]*plan.Scope]*pair{}}
	for device := range before.Devices {
		key := [2]*plan.Scope{before.Of(device), after.Of(device)}
		if c.pairs[key] != nil {
			continue
		}
		p := &pair{before: lane(key[without]), after: lane(key[with])}
		switch {
		case sameLane(p.before, p.after):
			p.shared = &Difference{}
		case !p.before.Holds() && !p.after.Holds():
			p.shared = Differ(p.before, p.after, nil)
		}
		c.pairs[key] = p
	}
	return c
}

// sameLane reports whether a lane was taken from one plan into the other.
func sameLane(a, b resolve.Lane) bool {
	return len(a.Units) > 0 && len(b.Units) > 0 && &a.Units[0] == &b.Units[0] && len(a.Units) == len(b.Units)
}

// lane is what a scope is told. One whose policies cannot be used keeps everything as it is.
func lane(scope *plan.Scope) resolve.Lane {
	if scope.Err != nil {
		return resolve.Lane{Problems: []resolve.Problem{{Severity: policy.Error, Holds: resolve.Holds{All: true}}}}
	}
	return scope.Enforced
}

func (c *Comparison) pair(device int) *pair {
	return c.pairs[[2]*plan.Scope{c.before.Of(device), c.after.Of(device)}]
}

// Touches reports whether a device may be affected, without looking at what it has.
func (c *Comparison) Touches(device int) bool {
	p := c.pair(device)
	return p.shared == nil || !p.shared.Empty()
}

// NeedsPrevious reports whether the effects on a device depend on what it was last told.
func (c *Comparison) NeedsPrevious(device int) bool { return c.pair(device).shared == nil }

// Difference is what differs for a device that was last told to have certain settings.
func (c *Comparison) Difference(device int, previous []unit.Setting) *Difference {
	p := c.pair(device)
	if p.shared != nil {
		return p.shared
	}
	return Differ(p.before, p.after, previous)
}

// Device is what the edits do to one device. It is affected when it has settings or effects.
func (c *Comparison) Device(device int, known Device) effect.Affected {
	settings, effects := c.Difference(device, known.Previous).Compare(known, c.after.Directory)
	return effect.Affected{
		Device:   c.before.Devices[device].Name,
		Reported: known.State != nil,
		Settings: settings,
		Effects:  effects,
	}
}

// sharesOf is the number of devices that are compared in one share.
const sharesOf = 2000

// tally counts the affected devices of a comparison, with shares of the fleet done as each does. Visit is told of every
// device that may be affected, of one share in order, and counts it.
func (c *Comparison) tally(each fleet.Each, visit func(tally *Tally, share, device int)) *Tally {
	devices := len(c.before.Devices)
	tallies := make([]*Tally, shares(devices))
	each(len(tallies), func(share int) {
		tallies[share] = NewTally()
		for device := share * sharesOf; device < min((share+1)*sharesOf, devices); device++ {
			if c.Touches(device) {
				visit(tallies[share], share, device)
			}
		}
	})
	total := NewTally()
	for _, t := range tallies {
		total.Merge(t)
	}
	return total
}

func shares(devices int) int { return (devices + sharesOf - 1) / sharesOf }

// Run compares two plans of one fleet, device by device, with shares of the fleet done as each does. The result has
// every device that is affected.
func Run(before, after *plan.Plan, known Fleet, each fleet.Each) *Preview {
	c := NewComparison(before, after)
	affected := make([][]effect.Affected, shares(len(before.Devices)))
	total := c.tally(each, func(tally *Tally, share, device int) {
		if a := c.Device(device, known(device)); a.Any() {
			affected[share] = append(affected[share], a)
			tally.Add(a.Device, a.Reported, a.Effects)
		}
	})
	p := &Preview{Devices: total.Devices, Sums: total.Sums(), Affected: slices.Concat(affected...)}
	slices.SortStableFunc(p.Affected, func(a, b effect.Affected) int { return cmp.Compare(a.Device, b.Device) })
	return p
}

// Count is the sums of [Run] alone, for which nothing is kept of the single devices.
func Count(before, after *plan.Plan, known Fleet, each fleet.Each) *Tally {
	c := NewComparison(before, after)
	return c.tally(each, func(tally *Tally, _, device int) { tally.Count(c, device, known(device), nil) })
}
