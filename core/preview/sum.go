package preview

import (
	"slices"

	"rankwarden.example/core/effect"
	"rankwarden.example/core/unit"
)

// Tally counts the devices that have each effect.
type Tally struct {
	Devices int // affected
	Silent  int // of those, devices that never reported
	Leaving int // of those, devices on which somebody leaves administrators
	sums    map[sumKey]*effect.Sum
}

type sumKey struct {
	kind    effect.Kind
	unit    unit.ID
	subject string
}

// NewTally has counted nothing.
func NewTally() *Tally { return &Tally{sums: map[sumKey]*effect.Sum{}} }

// Add counts a device that is affected.
func (t *Tally) Add(device string, reported bool, effects []effect.Effect) {
	t.Devices++
	if !reported {
		t.Silent++
	}
	if slices.ContainsFunc(effects, func(e effect.Effect) bool {
		return e.Kind == effect.MemberLeaves && e.Unit == unit.Administrators
	}) {
		t.Leaving++
	}
	for _, e := range effects {
		key := sumKey{e.Kind, e.Unit, e.Subject}
		sum := t.sums[key]
		if sum == nil {
			sum = &effect.Sum{Kind: e.Kind, Unit: e.Unit, Subject: e.Subject, Before: e.Before, After: e.After}
			t.sums[key] = sum
		}
		sum.Count(device, e.Before, e.After)
	}
}

// Count counts a device of a comparison, if it is affected, and says whether it is. Tell, nil for nobody, is told how
// the ways into it change.
func (t *Tally) Count(c *Comparison, device int, known Device, tell func(e effect.AccessEffect)) bool {
	d := c.Difference(device, known.Previous)
	if d.Empty() {
		return false
	}
	t.Add(c.before.Devices[device].Name, known.State != nil, d.effects(known, c.after.Directory, tell))
	return true
}

// Merge adds what another tally has counted, of other devices.
func (t *Tally) Merge(other *Tally) {
	t.Devices, t.Silent, t.Leaving = t.Devices+other.Devices, t.Silent+other.Silent, t.Leaving+other.Leaving
	for _, sum := range other.sums {
		t.add(*sum)
	}
}

func (t *Tally) add(more effect.Sum) {
	key := sumKey{more.Kind, more.Unit, more.Subject}
	if sum := t.sums[key]; sum != nil {
		sum.Add(more)
		return
	}
	t.sums[key] = &more
}

// Sums are the counts, sorted by effect, setting and subject.
func (t *Tally) Sums() []effect.Sum {
	sums := make([]effect.Sum, 0, len(t.sums))
	for _, sum := range t.sums {
		sums = append(sums, *sum)
	}
	slices.SortFunc(sums, effect.CompareSums)
	return sums
}
