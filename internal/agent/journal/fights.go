package journal

import (
	"slices"
	"time"

	"rankwarden.example/core/unit"
)

// A unit that was put right this often within this time is contended: somebody or something fights
// back, and the device tries again only after a pause.
const (
	contendedAfter  = 3
	contendedWithin = 24 * time.Hour
	contendedPause  = time.Hour
)

// Fights are the times, in service time, at which units were put right, by the name of the unit.
type Fights map[string][]time.Time

// Forget drops what is too long ago to count.
func (f Fights) Forget(now time.Time) {
	for id, times := range f {
		times = slices.DeleteFunc(times, func(at time.Time) bool { return now.Sub(at) >= contendedWithin })
		if len(times) == 0 {
			delete(f, id)
		} else {
			f[id] = times
		}
	}
}

// Contended are the units that are fought over, sorted, and those of them to leave alone for now.
func (f Fights) Contended(now time.Time) (all, leave []unit.ID) {
	for name, times := range f {
		id, err := unit.Parse(name)
		if err != nil || len(times) < contendedAfter {
			continue
		}
		all = append(all, id)
		if now.Sub(times[len(times)-1]) < contendedPause {
			leave = append(leave, id)
		}
	}
	slices.SortFunc(all, unit.ID.Compare)
	return all, leave
}

// Note remembers settings that had to be corrected.
func (f Fights) Note(ids []unit.ID, now time.Time) {
	for _, id := range ids {
		f[id.String()] = append(f[id.String()], now)
	}
}
