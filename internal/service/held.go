package service

import (
	"cmp"
	"slices"

	"rankwarden.example/core/resolve"
	"rankwarden.example/internal/fleetview"
)

// heldSum is a unit that is held for one reason, or reverted again and again, and on how many devices.
type heldSum struct {
	unit    resolve.UnitID
	why     string
	devices int
	example *fleetview.Device
}

type heldKey struct {
	unit resolve.UnitID
	why  string
}

// heldSums sums up what is held on devices, and what is reverted again and again.
type heldSums struct {
	byHeld      map[heldKey]*heldSum
	byContended map[resolve.UnitID]*heldSum
	mismatched  heldSum
}

func newHeldSums() *heldSums {
	return &heldSums{byHeld: map[heldKey]*heldSum{}, byContended: map[resolve.UnitID]*heldSum{}}
}

func count[K comparable](sums map[K]*heldSum, key K, unit resolve.UnitID, why string, d *fleetview.Device) {
	sum := sums[key]
	if sum == nil {
		sum = &heldSum{unit: unit, why: why, example: d}
		sums[key] = sum
	}
	sum.devices++
}

// add counts a device. What is held on every unit of it for one reason counts once.
func (h *heldSums) add(d *fleetview.Device) {
	whole := false
	for _, held := range d.Held {
		if held.Why == string(resolve.UndecidedScope) {
			if whole {
				continue
			}
			whole, held.Unit = true, resolve.EveryUnit
		}
		count(h.byHeld, heldKey{held.Unit, held.Why}, held.Unit, held.Why, d)
	}
	for _, unit := range d.Contended {
		count(h.byContended, unit, unit, "", d)
	}
	if d.Heard.Mismatched {
		if h.mismatched.devices++; h.mismatched.example == nil {
			h.mismatched.example = d
		}
	}
}

func (h *heldSums) held() []*heldSum      { return sortedSums(h.byHeld) }
func (h *heldSums) contended() []*heldSum { return sortedSums(h.byContended) }

// sortedSums are the sums, most devices first.
func sortedSums[K comparable](sums map[K]*heldSum) []*heldSum {
	list := make([]*heldSum, 0, len(sums))
	for _, sum := range sums {
		list = append(list, sum)
	}
	slices.SortFunc(list, func(a, b *heldSum) int {
		return cmp.Or(cmp.Compare(b.devices, a.devices), a.unit.Compare(b.unit), cmp.Compare(a.why, b.why))
	})
	return list
}
