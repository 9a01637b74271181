package agent

import (
	"context"
	"slices"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/agent/reconcile"
	"rankwarden.example/internal/wire/protocol"
)

// nextEvents are those that go with the next check-in.
func (a *Agent) nextEvents() []drift.Event {
	most := protocol.MaxEvents
	if a.oneByOne {
		most = 1
	}
	return a.journal.Events[:min(len(a.journal.Events), most)]
}

// noticed are the events of a pass beside what it did: a desired state that is carried out for the
// first time, what the guard refused, and what is repeatedly reverted, each when it is new.
func noticed(last *drift.Report, now drift.Report) []drift.Event {
	var events []drift.Event
	var before drift.Report
	if last != nil {
		before = *last
	}
	if before.Desired != now.Desired {
		e := drift.Event{Kind: drift.Applied, Details: drift.Details{Number: now.Desired.Number}}
		if e.Failed = failedSettings(now); e.Failed > 0 {
			e.Kind = drift.AppliedInPart
		}
		events = append(events, e)
	}
	for _, a := range now.Accounts {
		locked := func(b drift.Account) bool { return b.SID == a.SID && b.Locked }
		if a.Locked && !slices.ContainsFunc(before.Accounts, locked) {
			events = append(
				events,
				drift.Event{Kind: drift.AccountLocked, Subject: a.Name, Details: drift.Details{Time: a.LockedUntil}},
			)
		}
	}
	for _, f := range now.Failures {
		if f.Error == reconcile.ErrGuard.Error() && !slices.Contains(before.Failures, f) {
			events = append(events, drift.Event{Kind: drift.GuardRefused, Unit: f.Unit, Subject: f.Principal})
		}
	}
	for _, id := range now.RepeatedlyReverted {
		if !slices.ContainsFunc(before.RepeatedlyReverted, func(u unit.ID) bool { return u == id }) {
			events = append(events, drift.Event{Kind: drift.RepeatedlyReverted, Unit: id})
		}
	}
	return events
}

// mostThere is how many people are named who are signed in.
const mostThere = 10

// nameWhoIsThere adds who is signed in where somebody keeps changing back what guards the ways in. Not to know is no
// reason to say nothing.
func (a *Agent) nameWhoIsThere(ctx context.Context, events []drift.Event) {
	tells, can := a.Host.(host.TellsWhoIsThere)
	for i, e := range events {
		if e.Kind != drift.RepeatedlyReverted || !e.Unit.Guards() || !can {
			continue
		}
		names, err := tells.WhoIsThere(ctx)
		if err != nil {
			a.Log.Warn("who is signed in could not be read", "error", err)
			continue
		}
		slices.Sort(names)
		names = slices.Compact(names)
		for _, name := range names[:min(len(names), mostThere)] {
			events[i].SignedIn = append(events[i].SignedIn, drift.Shortened(name))
		}
	}
}

// failedSettings is the number of settings that a device could not bring into line.
func failedSettings(r drift.Report) int {
	failed := map[unit.ID]bool{}
	for _, f := range r.Failures {
		failed[f.Unit] = true
	}
	return len(failed)
}

// about are the values of an event, for the log of the system: one line for every change.
func about(e drift.Event) []any {
	list := []any{"event", string(e.Kind)}
	if !e.Unit.IsZero() {
		list = append(list, "setting", e.Unit.String())
	}
	if e.Subject != "" {
		list = append(list, "subject", e.Subject)
	}
	return list
}
