package reporting

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/store"
)

// The share in step is of the devices that are known to be on.
func TestShareInStep(t *testing.T) {
	for want, c := range map[float64]Counts{
		100:  {drift.InStep: 4, drift.Silent: 6},
		50:   {drift.InStep: 2, drift.Drifted: 1, drift.Held: 1},
		0:    {drift.Waiting: 3},
		75.0: {drift.InStep: 3, drift.Drifted: 1, drift.Silent: 100},
	} {
		assert.InDelta(t, want, InStep(c), 0.001, c)
	}
	assert.InDelta(t, 100, InStep(Counts{drift.Silent: 3}), 0, "nobody is on")
	assert.InDelta(t, 100, InStep(Counts{}), 0)
}

// A day stands as its last hour did; an hour that is not over does not count.
func TestTheLastHourOfADay(t *testing.T) {
	at := func(day, hour, inStep int) store.StandingHour {
		return store.StandingHour{Hour: time.Date(2026, 5, day, hour, 0, 0, 0, time.UTC), InStep: inStep}
	}
	hours := []store.StandingHour{at(4, 0, 1), at(4, 23, 2), at(5, 12, 3), at(7, 1, 4), at(7, 2, 5)}
	for want, until := range map[string]time.Time{
		"[2 3 5]": at(9, 0, 0).Hour, "[2 3 4]": at(7, 2, 0).Hour, "[2]": at(5, 0, 0).Hour, "[]": at(4, 0, 0).Hour,
	} {
		shown := []int{}
		for _, h := range lastOfDays(hours, until) {
			shown = append(shown, h.InStep)
		}
		assert.Equal(t, want, fmt.Sprint(shown), until)
	}
}

// A curve has a bounded number of points, and always ends with the last device.
func TestACurveEndsWithTheLastDevice(t *testing.T) {
	for _, devices := range []int{0, 1, maxCurve, maxCurve + 1, 10*maxCurve + 7} {
		after := make([]time.Duration, devices)
		for i := range after {
			after[i] = time.Duration(devices-i) * time.Second // out of order
		}
		points := curve(after)
		assert.LessOrEqual(t, len(points), maxCurve, devices)
		for i := 1; i < len(points); i++ {
			assert.Greater(t, points[i].After, points[i-1].After)
			assert.Greater(t, points[i].Devices, points[i-1].Devices)
		}
		if devices > 0 {
			assert.Equal(t, VerifiedBy{time.Duration(devices) * time.Second, devices}, points[len(points)-1])
		}
	}
}

// What is held is summed up by setting and reason, most devices first, with one device as the example; what is
// contested is told apart from what an error holds.
func TestWhatIsHeldIsSummedUp(t *testing.T) {
	h := newHeldSums()
	contested := resolve.HeldUnit{Unit: unit.Lockout, Why: string(resolve.Contested)}
	broken := resolve.HeldUnit{Unit: unit.MinLength, Why: string(resolve.NoBreakGlass)}
	for i, held := range [][]resolve.HeldUnit{{contested}, {contested, broken}, {contested}, nil} {
		h.add(&fleetview.Device{Name: fmt.Sprint("SKL-", i), ID: fmt.Sprint(i), Held: held})
	}
	list := h.toDecide()
	said := []string{}
	for _, d := range list {
		said = append(said, fmt.Sprint(d.Kind, " ", d.Unit, " ", d.Devices, " ", d.Device))
	}
	assert.Equal(t, []string{"contested lockout 3 SKL-0", "held passwords.min_length 1 SKL-1"}, said)
}

// An edit that cannot be settled is told of until it can, with why.
func TestWhatCannotBeSettled(t *testing.T) {
	list := unsettledToDecide([]store.SettleRequest{{Cause: "policy lamps published", Attempts: 3, Error: "no room"}})
	assert.Equal(t, DecideUnsettled, list[0].Kind)
	assert.Contains(t, list[0].Detail, "failed 3 times and is tried again: no room")
	assert.Empty(t, unsettledToDecide(nil))
}
