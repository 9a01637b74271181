package journal

import (
	"slices"
	"time"

	"rankwarden.example/core/unit"
)

// A unit that was corrected this often within this time is repeatedly reverted: the device tries again only after a
// pause, but for what guards the ways in, which is corrected at every look.
const (
	repeatedAfter  = 3
	repeatedWithin = 24 * time.Hour
	repeatedPause  = time.Hour
)

// Reversions are the times, in service time, at which units were put right, by the name of the unit.
type Reversions map[string][]time.Time

// Forget drops what is too long ago to count.
func (f Reversions) Forget(now time.Time) {
	for id, times := range f {
		times = slices.DeleteFunc(times, func(at time.Time) bool { return now.Sub(at) >= repeatedWithin })
		if len(times) == 0 {
			delete(f, id)
		} else {
			f[id] = times
		}
	}
}

// Repeated are the units that are repeatedly reverted, sorted, and those of them to leave alone for now.
func (f Reversions) Repeated(now time.Time) (all, leave []unit.ID) {
	for name, times := range f {
		id, err := unit.Parse(name)
		if err != nil || len(times) < repeatedAfter {
			continue
		}
		all = append(all, id)
		if !id.Guards() && now.Sub(times[len(times)-1]) < repeatedPause {
			leave = append(leave, id)
		}
	}
	slices.SortFunc(all, unit.ID.Compare)
	return all, leave
}

// Note remembers settings that had to be corrected.
func (f Reversions) Note(ids []unit.ID, now time.Time) {
	for _, id := range ids {
		f[id.String()] = append(f[id.String()], now)
	}
}
