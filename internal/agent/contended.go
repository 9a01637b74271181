package agent

import (
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// A unit that was put right this often within this time is contended: somebody or something fights
// back, and the device tries again only after a pause.
const (
	contendedAfter  = 3
	contendedWithin = 24 * time.Hour
	contendedPause  = time.Hour
)

// fights are the times, in service time, at which units were put right, by the name of the unit.
type fights map[string][]time.Time

// forget drops what is too long ago to count.
func (f fights) forget(now time.Time) {
	for id, times := range f {
		times = slices.DeleteFunc(times, func(at time.Time) bool { return now.Sub(at) >= contendedWithin })
		if len(times) == 0 {
			delete(f, id)
		} else {
			f[id] = times
		}
	}
}

// contended are the units that are fought over, sorted, and those of them to leave alone for now.
func (f fights) contended(now time.Time) (all, leave []unit.ID) {
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

// note remembers the units that were not as asked before a pass and are after it.
func (f fights) note(job Job, outcome Outcome, now time.Time) {
	ctx := drift.Context{Directory: principal.NewTable(job.Directory)}
	differs := func(state *drift.State) map[unit.ID]bool {
		units := map[unit.ID]bool{}
		for _, finding := range drift.Check(job.Settings, state, nil, ctx) {
			units[finding.Unit] = true
		}
		return units
	}
	after := differs(&outcome.After)
	for id := range differs(&outcome.Before) {
		if !after[id] {
			f[id.String()] = append(f[id.String()], now)
		}
	}
}
