package reporting

import (
	"cmp"
	"slices"

	"rankwarden.example/core/resolve"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/base/fleetview"
)

// heldSum is a unit that is held for one reason, or reverted again and again, and on how many devices.
type heldSum struct {
	unit    unit.ID // zero for all settings of a device
	why     string
	devices int
	example *fleetview.Device
}

// HeldName names what is held: a setting, or * for all of a device.
func HeldName(id unit.ID) string {
	if id.IsZero() {
		return "*"
	}
	return id.String()
}

type heldKey struct {
	unit unit.ID
	why  string
}

// heldSums sums up what is held on devices, and what is reverted again and again.
type heldSums struct {
	byHeld     map[heldKey]*heldSum
	byReverted map[unit.ID]*heldSum
	mismatched heldSum
}

func newHeldSums() *heldSums {
	return &heldSums{byHeld: map[heldKey]*heldSum{}, byReverted: map[unit.ID]*heldSum{}}
}

func count[K comparable](sums map[K]*heldSum, key K, id unit.ID, why string, d *fleetview.Device) {
	sum := sums[key]
	if sum == nil {
		sum = &heldSum{unit: id, why: why, example: d}
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
			whole, held.Unit = true, unit.ID{}
		}
		count(h.byHeld, heldKey{held.Unit, held.Why}, held.Unit, held.Why, d)
	}
	for _, id := range d.RepeatedlyReverted {
		count(h.byReverted, id, id, "", d)
	}
	if d.StandingInput.Mismatched {
		if h.mismatched.devices++; h.mismatched.example == nil {
			h.mismatched.example = d
		}
	}
}

func (h *heldSums) held() []*heldSum     { return sortedSums(h.byHeld) }
func (h *heldSums) reverted() []*heldSum { return sortedSums(h.byReverted) }

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
