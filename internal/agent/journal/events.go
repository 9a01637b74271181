package journal

import (
	"slices"
	"time"

	"rankwarden.example/core/drift"
)

// keptEvents is how many events a device keeps while the service is out of reach; the oldest go first.
const keptEvents = 2000

// mostNamed is how many files an event names, so that the service takes it.
const mostNamed = 8

// Note numbers events and keeps them until the service has stored them.
func (j *Journal) Note(now time.Time, events ...drift.Event) {
	for _, e := range events {
		j.EventSeq++
		e.Seq, e.At = j.EventSeq, now.UTC()
		e.Subject, e.OldName, e.NewName, e.Error = drift.Shortened(e.Subject), drift.Shortened(e.OldName),
			drift.Shortened(e.NewName), drift.Shortened(e.Error)
		e.StillNamed = e.StillNamed[:min(len(e.StillNamed), mostNamed)]
		j.Events = append(j.Events, e)
		if j.Tell != nil {
			j.Tell(e)
		}
	}
	j.Events = j.Events[max(0, len(j.Events)-keptEvents):]
}

// Stored drops the events that the service has.
func (j *Journal) Stored(seq int64) {
	j.Events = slices.DeleteFunc(j.Events, func(e drift.Event) bool { return e.Seq <= seq })
}
