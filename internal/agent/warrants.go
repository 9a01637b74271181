package agent

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/present"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/agent/journal"
	"rankwarden.example/internal/agent/reconcile"
)

// noticeBefore is how long before its end whoever has a warrant and is signed in is told.
const noticeBefore = 5 * time.Minute

// byWarrants gives a pass what it needs for warrants. Where the clock stands behind what the device knew before it was
// started, and the service has not told its time yet, none runs: nobody keeps rights by turning the clock back.
func (a *Agent) byWarrants(job *reconcile.Job) {
	job.Granted = a.journal.Granted
	job.Keep = func(granted []journal.Granted) error {
		a.journal.Granted = granted
		return a.journal.Save()
	}
	if a.behind {
		job.Warrants = nil
	}
}

// keepGranted keeps what a pass left of memberships by warrant, and what time it is while there are some. It reports
// whether there is something new to keep.
func (a *Agent) keepGranted(ctx context.Context, granted []journal.Granted, now time.Time) bool {
	changed := len(granted) > 0 || len(a.journal.Granted) > 0
	a.journal.Granted, a.journal.Time = granted, time.Time{}
	if len(granted) > 0 {
		a.journal.Time = now
	}
	for i, g := range granted {
		ends := !g.Told && !now.Before(g.Until.Add(-noticeBefore))
		if !ends && (g.Used || !isPerson(g.Principal)) {
			continue
		}
		there, certain := a.isThere(ctx, g.Principal)
		if there && certain && !g.Used {
			granted[i].Used = true
			a.journal.Note(now, drift.Event{Kind: drift.WarrantUsed, Unit: g.Unit, Subject: g.Principal.String(),
				Details: drift.Details{Warrant: g.Warrant, Time: &g.Until}})
		}
		if !ends || !there {
			continue
		}
		name, _ := g.Unit.LocalGroup()
		message := fmt.Sprintf("The rights of %s as a member of %s end at %s.", present.Principal(g.Principal), name,
			g.Until.Add(-a.offset).Local().Format("15:04"))
		if g.EndSessions {
			message += " Sessions are ended then: save your work."
		}
		if err := a.Host.Notify(ctx, message); err != nil {
			a.Log.Warn("whoever has a warrant could not be told of its end", "error", err)
		}
		granted[i].Told = true
	}
	return changed
}

// isPerson reports whether a principal is somebody, and not a group or whoever has an identifier.
func isPerson(who principal.Ref) bool {
	return who.Kind() == principal.User || who.Kind() == principal.Local
}

// isThere reports whether somebody is signed in who may be meant by a principal, anybody where it is a group, and
// whether it is certain that it is they: not where the host cannot tell.
func (a *Agent) isThere(ctx context.Context, who principal.Ref) (there, certain bool) {
	tells, can := a.Host.(host.TellsWhoIsThere)
	if !can {
		return true, false
	}
	names, err := tells.WhoIsThere(ctx)
	if err != nil {
		return true, false
	}
	if !isPerson(who) {
		return len(names) > 0, false
	}
	meant, _, _ := strings.Cut(who.Value(), "@")
	return slices.ContainsFunc(names, func(name string) bool {
		if _, account, inDomain := strings.Cut(name, `\`); inDomain { // either way of writing a domain
			name = account
		}
		name, _, _ = strings.Cut(name, "@")
		return text.Fold(name) == meant
	}), true
}

// untilWarrant is how long the agent may wait: at most some time, and not beyond the next moment at which a warrant
// begins, ends or is to be told of.
func (a *Agent) untilWarrant(most time.Duration) time.Duration {
	now := a.now()
	at := func(moment time.Time) {
		if moment.After(now) {
			most = min(most, moment.Sub(now))
		}
	}
	for _, w := range a.journal.Asked.Warrants {
		at(w.From)
		at(w.Until)
		at(w.Until.Add(-noticeBefore))
	}
	for _, g := range a.journal.Granted {
		at(g.Until)
	}
	return most
}
