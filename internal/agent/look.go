package agent

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/inventory"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/agent/journal"
	"rankwarden.example/internal/agent/reconcile"
	"rankwarden.example/internal/kit/version"
)

// look brings the device into line, and gives a report when something changed since the last one
// that the service has.
func (a *Agent) look(ctx context.Context) (*drift.Report, error) {
	if a.journal.Desired.Number == 0 {
		return nil, nil // nothing is asked of it yet
	}
	outcome, reverted, err := a.inLine(ctx)
	if err != nil {
		return nil, err
	}
	facts, err := a.Host.Facts(ctx)
	if err != nil {
		return nil, fmt.Errorf("reading what this device is: %w", err)
	}
	report := &drift.Report{
		Format:             drift.ReportFormat,
		Device:             facts.Name,
		At:                 a.now().UTC(),
		Desired:            a.journal.Desired,
		State:              outcome.After,
		Failures:           outcome.Failures,
		RepeatedlyReverted: reverted,
	}
	report.State.Agent = version.Number()
	part, err := a.tellInventory(ctx, &report.State)
	if err != nil {
		return nil, err
	}
	last := a.journal.Last
	told := last
	if a.journal.Pending != nil {
		told = &a.journal.Pending.Report // on its way; what it tells is not new
	}
	if a.journal.Aside == "" || a.journal.Aside != contentOf(*report) { // else it was told, and the service refuses it
		events := noticed(told, *report)
		a.nameWhoIsThere(ctx, events)
		a.journal.Note(report.At, events...)
	}
	if a.journal.Name != "" && a.journal.Name != facts.Name {
		a.journal.Note(report.At, drift.Event{
			Kind:    drift.DeviceRenamed,
			Details: drift.Details{OldName: a.journal.Name, NewName: facts.Name},
		})
	}
	a.journal.Name = facts.Name
	if last == nil {
		return a.unlessAside(report), nil
	}
	inventory.BoundTo(&outcome.Before, part) // as the state that it is compared with
	if report.Found = differing(last.State, outcome.Before); report.Found != nil {
		inventory.BoundTo(report.Found, part*foundPart)
		report.Found.MoreAccounts, report.Found.MoreMembers = 0, 0
	}
	if !a.collect && report.Found == nil && last.Device == report.Device && last.Desired == report.Desired &&
		same(last.State, report.State) &&
		same(last.Failures, report.Failures) &&
		same(last.RepeatedlyReverted, report.RepeatedlyReverted) {
		return nil, nil
	}
	a.collect = false
	return a.unlessAside(report), nil
}

// unlessAside gives a report, unless the service refuses it for good.
func (a *Agent) unlessAside(report *drift.Report) *drift.Report {
	if a.journal.Aside != "" && a.journal.Aside == contentOf(*report) {
		return nil
	}
	return report
}

// mostRounds bounds the passes of one look, should passwords be due again at once.
const mostRounds = 5

// inLine brings the device into line and changes the passwords that are due; what waited for a
// password in escrow follows in another pass. The state before is that of the first pass.
func (a *Agent) inLine(ctx context.Context) (reconcile.Outcome, []unit.ID, error) {
	var before *drift.State
	for round := 1; ; round++ {
		outcome, reverted, err := a.reconcile(ctx)
		if err != nil {
			return outcome, reverted, err
		}
		if before == nil {
			before = &outcome.Before
			a.rotator.Notice(*before)
			before.Rotation = a.rotator.Report(*before)
		}
		changed, failures, err := a.rotator.Due(ctx, outcome.After)
		if err != nil {
			return outcome, reverted, err
		}
		if changed && round < mostRounds {
			continue
		}
		outcome.Before, outcome.After.Rotation = *before, a.rotator.Report(outcome.After)
		outcome.Failures = append(outcome.Failures, failures...)
		return outcome, reverted, nil
	}
}

// reconcile does one pass, and keeps which accounts are bound and what had to be put right. It gives
// the units that are repeatedly reverted.
func (a *Agent) reconcile(ctx context.Context) (reconcile.Outcome, []unit.ID, error) {
	now := a.now()
	a.journal.Reversions.Forget(now)
	repeated, leave := a.journal.Reversions.Repeated(now)
	if asks, ok := a.Host.(host.KnowsDirectory); ok {
		asks.KnowDirectory(a.journal.Asked.Directory)
	}
	state, err := a.Host.Read(ctx)
	if err != nil {
		return reconcile.Outcome{}, nil, fmt.Errorf("reading the device: %w", err)
	}
	job := reconcile.Job{
		DesiredContent: a.journal.Asked,
		Bindings:       a.journal.Bindings,
		Leave:          leave,
		Random:         a.Random,
		Now:            now,
		Escrowed:       a.journal.Escrowed(state),
		Counted:        a.journal.Counted,
		Made:           a.journal.Made,
		Changing:       a.journal.Changing,
	}
	a.byWarrants(&job)
	if err := a.giveBack(ctx, &state, job); err != nil {
		return reconcile.Outcome{}, nil, err
	}
	outcome, err := reconcile.Run(ctx, a.Host, job)
	changed := a.journal.SumUp(now)
	changed = changed || !same(outcome.Bindings, a.journal.Bindings) || len(outcome.Events) > 0
	a.journal.NoteSummed(now, repeated, outcome.Events...)
	if outcome.Bindings != nil {
		changed = changed || !same(outcome.Counted, a.journal.Counted) || !same(outcome.Made, a.journal.Made) ||
			!same(outcome.Changing, a.journal.Changing)
		a.journal.Bindings, a.journal.Counted = outcome.Bindings, outcome.Counted
		a.journal.Made, a.journal.Changing = outcome.Made, outcome.Changing
		changed = a.keepGranted(ctx, outcome.Granted, now) || changed
	}
	a.journal.Remember(now, disabled(outcome.Disabled))
	if err != nil {
		if changed {
			err = errors.Join(err, a.journal.Save())
		}
		return outcome, nil, fmt.Errorf("bringing the device into line: %w", err)
	}
	if a.journal.Last == nil || a.journal.Last.Desired != a.journal.Desired { // what another desired state brought
		taken := outcome.Taken(job)
		a.journal.Remember(now, taken)
		changed = changed || len(taken) > 0
	}
	// Only what was in line under this desired state before has been put right.
	if a.journal.Last != nil && a.journal.Last.Desired == a.journal.Desired &&
		differing(a.journal.Last.State, outcome.Before) != nil {
		a.journal.Reversions.Note(outcome.Corrected(job), now)
		changed = true
	}
	if changed {
		err = a.journal.Save()
	}
	reverted, _ := a.journal.Reversions.Repeated(now)
	return outcome, reverted, err
}

// disabled are accounts that were disabled because no policy named them, as what can be given back.
func disabled(accounts []principal.SID) (taken []journal.Taken) {
	for _, sid := range accounts {
		taken = append(taken, journal.Taken{Unit: unit.Others, Member: sid})
	}
	return taken
}

// giveBack gives back, once, what a reverted change took away. It is begun again should the power go before it is kept.
func (a *Agent) giveBack(ctx context.Context, state *drift.State, job reconcile.Job) error {
	due := a.journal.Due()
	if len(due) == 0 {
		return nil
	}
	back := reconcile.Return(due, job.Settings, state, a.journal)
	events := back.Refused
	if len(back.Settings)+len(back.Enable) > 0 {
		job.Settings, job.Enable, job.Leave, job.Made = back.Settings, back.Enable, nil, nil
		job.Warrants, job.Granted = nil, nil
		outcome, err := reconcile.Run(ctx, a.Host, job)
		a.journal.Note(a.now(), outcome.Events...)
		if err != nil {
			return errors.Join(fmt.Errorf("giving back: %w", err), a.journal.Save())
		}
		events = append(events, outcome.Returned(back.Settings, back.Enable)...)
	}
	a.journal.Note(a.now(), events...)
	a.journal.Gave(due)
	return a.journal.Save()
}

// differing gives the parts of now that differ from before, nil when none does.
func differing(before, now drift.State) *drift.State {
	var parts drift.State
	if !same(before.Accounts, now.Accounts) {
		parts.Accounts = now.Accounts
	}
	if !same(before.LocalGroups, now.LocalGroups) {
		parts.LocalGroups = now.LocalGroups
	}
	if !same(before.Passwords, now.Passwords) {
		parts.Passwords = now.Passwords
	}
	if !same(before.Lockout, now.Lockout) {
		parts.Lockout = now.Lockout
	}
	if slices.ContainsFunc(now.Rotation, func(r drift.Rotation) bool { return r.Elsewhere }) {
		parts.Rotation = now.Rotation
	}
	if same(parts, drift.State{}) {
		return nil
	}
	return &parts
}

// same compares what would be reported, so that nothing differs only by having been on disk.
func same(a, b any) bool {
	x, errX := json.Marshal(a)
	y, errY := json.Marshal(b)
	return errX == nil && errY == nil && bytes.Equal(x, y)
}
