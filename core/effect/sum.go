package effect

import (
	"cmp"
	"encoding/json"
	"reflect"
	"slices"

	"rankwarden.example/core/unit"
)

// FirstDevices is the number of devices that a [Sum] names.
const FirstDevices = 3

// Sum says how many devices have an effect on the same setting and subject.
type Sum struct {
	Kind    Kind
	Unit    unit.ID // zero for every setting
	Subject string
	Devices int
	First   []string // the first devices by name, at most [FirstDevices]
	Before  any      // as in [Effect], or [Varies]
	After   any
}

// Varying stands for a value that is not the same on all devices of a [Sum].
type Varying struct{}

// Varies is the only [Varying].
var Varies Varying

func (Varying) String() string { return "various" }

// MarshalJSON writes what the format has of a sum, with its keys in the order of the format.
func (s Sum) MarshalJSON() ([]byte, error) {
	return json.Marshal(struct {
		Effect  Kind   `json:"effect"`
		Unit    string `json:"unit"`
		Subject string `json:"subject"`
		Devices int    `json:"devices"`
	}{s.Kind, UnitName(s.Unit), s.Subject, s.Devices})
}

// TakesAway reports whether somebody should look at what is summed before it goes out; see [Effect.TakesAway].
func (s Sum) TakesAway() bool { return takesAway(s.Kind, s.Unit) }

// Count counts a device that has the effect.
func (s *Sum) Count(device string, before, after any) {
	s.Devices++
	s.name(device)
	s.Before, s.After = common(s.Before, before), common(s.After, after)
}

// Add counts devices that another sum of the same kind, setting and subject has counted.
func (s *Sum) Add(more Sum) {
	s.Devices += more.Devices
	for _, device := range more.First {
		s.name(device)
	}
	s.Before, s.After = common(s.Before, more.Before), common(s.After, more.After)
}

// name keeps a device if it is one of the first.
func (s *Sum) name(device string) {
	if len(s.First) == FirstDevices && device > s.First[FirstDevices-1] {
		return
	}
	at, _ := slices.BinarySearch(s.First, device)
	s.First = slices.Insert(slices.Clip(s.First), at, device)
	s.First = s.First[:min(len(s.First), FirstDevices)]
}

// common is a value that two devices have in common.
func common(a, b any) any {
	switch x := a.(type) {
	case Varying:
		return a
	case nil, string, unit.Int, unit.Bool, unit.Text, unit.LockoutValue:
		if x == b {
			return a
		}
		return Varies
	}
	if reflect.DeepEqual(a, b) {
		return a
	}
	return Varies
}

// CompareSums orders sums by kind, setting and subject.
func CompareSums(a, b Sum) int {
	return cmp.Or(cmp.Compare(a.Kind, b.Kind), a.Unit.Compare(b.Unit), cmp.Compare(a.Subject, b.Subject))
}
