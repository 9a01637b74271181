package agent

import (
	"context"
	"fmt"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// watchUse notes who signed in as an account whose password a rule changes, and tells whoever works
// there what will follow.
func (a *Agent) watchUse(ctx context.Context) error {
	signIns, err := a.Host.SignIns(ctx, a.memory.SignIns)
	if err != nil || len(signIns) == 0 {
		return err
	}
	rules := map[principal.SID]ruled{}
	for _, of := range a.memory.ruledRotations() {
		if r := a.memory.Rotations[of.target.String()]; r != nil && !r.Account.IsZero() {
			rules[r.Account] = of
		}
	}
	state, err := a.Host.Read(ctx)
	if err != nil {
		return fmt.Errorf("reading who signed in: %w", err)
	}
	view := &pass{state: state}
	for _, s := range signIns {
		a.memory.SignIns = s.Number
		of, managed := rules[s.Account]
		if !managed {
			continue
		}
		at := s.At.Add(a.offset)
		account, _ := view.account(s.Account)
		a.memory.note(at, drift.Event{Kind: drift.AccountUsed, Unit: of.unit, Subject: account.Name})
		if r := a.memory.rotating(of.target); r.Used == nil {
			r.Used = &at
			if err := a.Host.Notify(ctx, useNotice(account.Name, at, of)); err != nil {
				return fmt.Errorf("telling who works there: %w", err)
			}
		}
	}
	return a.save()
}

// useNotice says to whoever works there what follows a sign-in.
func useNotice(name string, at time.Time, of ruled) string {
	then := map[unit.Then]string{unit.Nothing: "", unit.EndSessions: ", and you are signed out", unit.Restart: ", and this device restarts"}[of.rule.AfterUse.Then]
	return fmt.Sprintf("The password of %s changes at %s%s. Save your work before then.",
		name, at.Add(time.Duration(of.rule.AfterUse.WaitMinutes)*time.Minute).Local().Format("15:04 on 2 January"), then)
}

// pay does what rules want after a sign-in, once its time has come and the password was changed.
func (a *Agent) pay(ctx context.Context) error {
	now := a.now()
	for _, of := range a.memory.ruledRotations() {
		r := a.memory.Rotations[of.target.String()]
		if r == nil || r.Owed == nil {
			continue
		}
		if r.Owed.At.After(now) {
			a.wakeAt(r.Owed.At)
			continue
		}
		if err := a.payOne(ctx, of, r, now); err != nil {
			return fmt.Errorf("after the account was used: %w", err)
		}
	}
	return nil
}

// payOne does what one rule wants after a sign-in. A restart is noted before it is begun and never
// repeated: it may end this agent.
func (a *Agent) payOne(ctx context.Context, of ruled, r *rotating, now time.Time) error {
	event := drift.Event{Kind: drift.SessionsEnded, Unit: of.unit, Subject: of.target.String()}
	then := r.Owed.Then
	switch then {
	case unit.EndSessions:
		if err := a.Host.EndSessions(ctx, r.Account); err != nil {
			return err
		}
	case unit.Restart:
		event.Kind = drift.DeviceRestarted
	}
	r.Owed = nil
	if then != unit.Nothing {
		a.memory.note(now, event)
	}
	if err := a.save(); err != nil || then != unit.Restart {
		return err
	}
	if err := a.Host.Notify(ctx, "This device restarts now: the password of a managed account was changed after it was used."); err != nil {
		a.Log.Warn("nobody could be told of the restart", "error", err)
	}
	return a.Host.Restart(ctx)
}
