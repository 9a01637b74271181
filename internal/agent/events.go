package agent

import (
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/protocol"
)

// keptEvents is how many events a device keeps while the service is out of reach; the oldest go first.
const keptEvents = 2000

// note numbers events and keeps them until the service has stored them.
func (m *memory) note(now time.Time, events ...drift.Event) {
	for _, e := range events {
		m.EventSeq++
		e.Seq, e.At = m.EventSeq, now.UTC()
		e.Subject, e.OldName, e.NewName, e.Error = shortened(e.Subject), shortened(e.OldName), shortened(e.NewName), shortened(e.Error)
		m.Events = append(m.Events, e)
	}
	m.Events = m.Events[max(0, len(m.Events)-keptEvents):]
}

// nextEvents are those that go with the next check-in.
func (a *Agent) nextEvents() []drift.Event {
	most := protocol.MaxEvents
	if a.oneByOne {
		most = 1
	}
	return a.memory.Events[:min(len(a.memory.Events), most)]
}

// stored drops the events that the service has.
func (m *memory) stored(seq int64) {
	m.Events = slices.DeleteFunc(m.Events, func(e drift.Event) bool { return e.Seq <= seq })
}

// noticed are the events of a pass beside what it did: a desired state that is carried out for the
// first time, what the guard refused, and what is fought over, each when it is new.
func noticed(last *drift.Report, now drift.Report) []drift.Event {
	var events []drift.Event
	var before drift.Report
	if last != nil {
		before = *last
	}
	if before.Desired != now.Desired {
		events = append(events, drift.Event{Kind: drift.Applied, Details: drift.Details{Number: now.Desired.Number}})
	}
	for _, a := range now.Accounts {
		locked := func(b drift.Account) bool { return b.SID == a.SID && b.Locked }
		if a.Locked && !slices.ContainsFunc(before.Accounts, locked) {
			events = append(events, drift.Event{Kind: drift.AccountLocked, Subject: a.Name, Details: drift.Details{Time: a.LockedUntil}})
		}
	}
	for _, f := range now.Failures {
		if f.Error == errGuard.Error() && !slices.Contains(before.Failures, f) {
			events = append(events, drift.Event{Kind: drift.GuardRefused, Unit: f.Unit, Subject: f.Principal})
		}
	}
	for _, id := range now.Contended {
		if !slices.ContainsFunc(before.Contended, func(u unit.ID) bool { return u == id }) {
			events = append(events, drift.Event{Kind: drift.FoughtOver, Unit: id})
		}
	}
	return events
}

// shortened keeps the text of an event well below what the service takes.
func shortened(s string) string {
	const most = 1000 // bytes
	if len(s) <= most {
		return s
	}
	return strings.ToValidUTF8(s[:most], "") + "…"
}
