package rotate

import (
	"context"
	"fmt"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/journal"
	"rankwarden.example/internal/agent/reconcile"
)

// WatchUse notes who signed in as an account whose password a rule changes, and tells whoever works
// there what will follow.
func (x *Rotator) WatchUse(ctx context.Context) error {
	signIns, err := x.Host.SignIns(ctx, x.Journal.SignIns)
	if err != nil || len(signIns) == 0 {
		return err
	}
	rules := map[principal.SID]journal.Rule{}
	for _, of := range x.Journal.Rules() {
		if r := x.Journal.Passwords[of.Target.String()]; r != nil && !r.Account.IsZero() {
			rules[r.Account] = of
		}
	}
	state, err := x.Host.Read(ctx)
	if err != nil {
		return fmt.Errorf("reading who signed in: %w", err)
	}
	view := reconcile.View{State: state}
	for _, s := range signIns {
		x.Journal.SignIns = s.Number
		x.Journal.SignedIn(s.Account, x.ServiceTime(s.At))
		x.Journal.Used(s.Account, s.Name, x.ServiceTime(s.At))
		of, managed := rules[s.Account]
		if !managed {
			continue
		}
		at := x.ServiceTime(s.At)
		account, _ := view.Account(s.Account)
		x.Journal.Note(at, drift.Event{Kind: drift.AccountUsed, Unit: of.Unit, Subject: account.Name})
		if r := x.Journal.Password(of.Target); r.Used == nil {
			r.Used = &at
			if err := x.Host.Notify(ctx, useNotice(account.Name, at, of)); err != nil {
				return fmt.Errorf("telling who works there: %w", err)
			}
		}
	}
	return x.Journal.Save()
}

// useNotice says to whoever works there what follows a sign-in.
func useNotice(name string, at time.Time, of journal.Rule) string {
	then := map[unit.Then]string{unit.Nothing: "", unit.EndSessions: ", and you are signed out",
		unit.Restart: ", and this device restarts"}[of.AfterUse.Then]
	return fmt.Sprintf("The password of %s changes at %s%s. Save your work before then.",
		name, at.Add(time.Duration(of.AfterUse.WaitMinutes)*time.Minute).Local().Format("15:04 on 2 January"), then)
}

// pay does what rules want after a sign-in, once its time has come and the password was changed.
func (x *Rotator) pay(ctx context.Context) error {
	now := x.Now()
	for _, of := range x.Journal.Rules() {
		r := x.Journal.Passwords[of.Target.String()]
		if r == nil || r.Pending == nil {
			continue
		}
		if r.Pending.At.After(now) {
			x.wakeAt(r.Pending.At)
			continue
		}
		if err := x.payOne(ctx, of, r, now); err != nil {
			return fmt.Errorf("after the account was used: %w", err)
		}
	}
	return nil
}

// payOne does what one rule wants after a sign-in. A restart is noted before it is begun and never
// repeated: it may end this agent.
func (x *Rotator) payOne(ctx context.Context, of journal.Rule, r *journal.Password, now time.Time) error {
	event := drift.Event{Kind: drift.SessionsEnded, Unit: of.Unit, Subject: of.Target.String()}
	then := r.Pending.Then
	switch then {
	case unit.EndSessions:
		if err := x.Host.EndSessions(ctx, r.Account); err != nil {
			return err
		}
	case unit.Restart:
		event.Kind = drift.DeviceRestarted
	}
	r.Pending = nil
	if then != unit.Nothing {
		x.Journal.Note(now, event)
	}
	if err := x.Journal.Save(); err != nil || then != unit.Restart {
		return err
	}
	if err := x.Host.Notify(ctx, "This device restarts now: the password of a managed account was changed after it "+
		"was used."); err != nil {
		x.Log.Warn("nobody could be told of the restart", "error", err)
	}
	return x.Host.Restart(ctx)
}
