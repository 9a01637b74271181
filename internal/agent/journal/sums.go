package journal

import (
	"maps"
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/unit"
)

// summedBy is the time in which what happens again and again is told once.
const summedBy = time.Hour

// Sum is what happens again and again to a setting that guards the ways in: somebody changes it back, and it is
// corrected at every look.
type Sum struct {
	Since time.Time   `json:"since"` // when it was told last
	Times int         `json:"times"` // since then
	Event drift.Event `json:"event"` // the latest
}

// NoteSummed notes events as [Journal.Note] does. Of those of settings that are repeatedly reverted, and guard the ways
// in, one is told an hour, with how often it happened.
func (j *Journal) NoteSummed(now time.Time, repeated []unit.ID, events ...drift.Event) {
	for _, e := range events {
		if !e.Unit.Guards() || !slices.Contains(repeated, e.Unit) {
			j.Note(now, e)
			continue
		}
		key := string(e.Kind) + " " + e.Unit.String() + " " + e.Subject
		if sum, known := j.Sums[key]; known {
			sum.Times, sum.Event = sum.Times+1, e
			j.Sums[key] = sum
			continue
		}
		if j.Sums == nil {
			j.Sums = map[string]Sum{}
		}
		j.Note(now, e)
		j.Sums[key] = Sum{Since: now}
	}
}

// SumUp tells what happened again within the last hour, once that is over, and reports whether anything changed.
func (j *Journal) SumUp(now time.Time) (changed bool) {
	for _, key := range slices.Sorted(maps.Keys(j.Sums)) {
		sum := j.Sums[key]
		if now.Sub(sum.Since) < summedBy {
			continue
		}
		changed = true
		if sum.Times == 0 {
			delete(j.Sums, key)
			continue
		}
		sum.Event.Times = sum.Times
		j.Note(now, sum.Event)
		j.Sums[key] = Sum{Since: now}
	}
	return changed
}
