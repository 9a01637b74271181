package agent

import (
	"context"
	"errors"
	"fmt"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rotation"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/escrow"
	"rankwarden.example/internal/protocol"
)

// rotateDue changes the passwords that are due, each at most once. It is true when one was changed,
// so that what waited for it can be done, and gives what stands in the way of the others.
func (a *Agent) rotateDue(ctx context.Context, state drift.State) (changed bool, failures []drift.Failure, err error) {
	return a.rotateWhatIsDue(ctx, state, false)
}

// rotateAgain is [Agent.rotateDue] after the key list was read again.
func (a *Agent) rotateAgain(ctx context.Context, state drift.State) (changed bool, failures []drift.Failure, err error) {
	return a.rotateWhatIsDue(ctx, state, true)
}

func (a *Agent) rotateWhatIsDue(ctx context.Context, state drift.State, retried bool) (changed bool, failures []drift.Failure, err error) {
	now := a.now()
	a.wake = time.Time{}
	a.memory.stopped(now)
	a.dropOrders()
	a.noticeAll(state)
	view := &pass{state: state, bindings: a.memory.Bindings}
	for _, of := range a.memory.ruledRotations() {
		account, there := view.account(view.find(of.target))
		if !there {
			failures = append(failures, drift.Failure{Unit: of.unit, Error: errNoSuchAccount.Error()})
			continue
		}
		r := a.memory.rotating(of.target)
		at, why := a.due(of, r)
		if r.Retry.After(at) {
			at = r.Retry
		}
		if at.After(now) {
			a.wakeAt(at)
			if r.Error != "" {
				failures = append(failures, drift.Failure{Unit: of.unit, Error: r.Error})
			}
			continue
		}
		err := a.change(ctx, of, r, account, state, why)
		var refused *Refusal
		var offline *unreachable
		switch {
		case err == nil:
			changed = true
			a.finishOrders(of.target, now)
		case errors.Is(err, host.ErrCut), errors.Is(err, errKept), ctx.Err() != nil:
			return changed, failures, err
		case errors.As(err, &refused) && refused.Code == protocol.CodeSequenceBehind:
			if err := a.newEpoch(ctx); err != nil {
				return changed, failures, err
			}
			return true, failures, nil // everything is due again, in the new epoch
		case errors.As(err, &refused) && refused.Code == protocol.CodeKeyRetired && !retried:
			// The key was retired a moment ago: the newer list names another one, and the next number is sealed to it.
			if err := a.fetchKeys(ctx); err != nil {
				return changed, failures, &unreachable{err}
			}
			return a.rotateAgain(ctx, state)
		case errors.As(err, &offline): // the exchange that follows says so, and is tried again
		default:
			if r.failed(now, err) {
				a.memory.note(now, drift.Event{Kind: drift.RotationFailed, Unit: of.unit, Subject: account.Name, Details: drift.Details{Error: err.Error()}})
			}
			a.tellOrders(of.target, now, err)
			a.wakeAt(r.Retry)
			failures = append(failures, drift.Failure{Unit: of.unit, Error: r.Error})
		}
	}
	if err := a.pay(ctx); err != nil {
		return changed, failures, err
	}
	return changed, failures, a.save()
}

// noticeAll compares what is known of passwords with the accounts as they are now.
func (a *Agent) noticeAll(state drift.State) {
	view := &pass{state: state, bindings: a.memory.Bindings}
	for _, of := range a.memory.ruledRotations() {
		if account, there := view.account(view.find(of.target)); there && a.memory.rotating(of.target).notice(account) {
			a.memory.note(a.now(), drift.Event{Kind: drift.PasswordForeign, Unit: of.unit, Subject: account.Name})
		}
	}
}

// wakeAt sees that the agent looks at passwords again then.
func (a *Agent) wakeAt(at time.Time) {
	if a.wake.IsZero() || at.Before(a.wake) {
		a.wake = at
	}
}

var (
	errLocked     = errors.New("the account is locked, so that its password cannot be checked; unlock it, or wait")
	errNoEscrow   = errors.New("the service has no live escrow key; make and prove one, see rankwardend keys")
	errDoesntOpen = errors.New("the new password was set, but does not open the account; it will be changed again")
)

// change is one rotation in six steps. Wherever it is cut, the password that the account really has
// is in escrow: it is set only after the service has stored it, and the one before stays there.
func (a *Agent) change(ctx context.Context, of ruled, r *rotating, account drift.Account, state drift.State, why rotation.Reason) error {
	if account.Locked {
		return errLocked
	}
	if _, live := a.memory.KeyList.Newest(protocol.UseEscrow); !live {
		return errNoEscrow
	}
	// 1. The number is taken and the intent kept on disk, so that no number is ever used twice.
	a.memory.Deposit++
	r.Begun = a.memory.Deposit
	if err := a.save(); err != nil {
		return err
	}
	// 2. The password and the name are made.
	secret, err := newSecret(a.Random, of.rule.Secret, account.Name, state.Passwords)
	if err != nil {
		return err
	}
	name, err := a.nextName(of, r, account, state)
	if err != nil {
		return err
	}
	// 3. It is sealed.
	d := protocol.Deposit{Epoch: a.memory.Epoch, Number: a.memory.Deposit, Target: of.target, Account: account.SID,
		NameBefore: account.Name, NameAfter: name, Reason: why, Desired: a.memory.Desired}
	if d.Sealed, err = a.seal(d, secret); err != nil {
		return err
	}
	// 4. It is in escrow before it is set, and the device keeps the sealed copy.
	made, err := a.deposit(ctx, d)
	if err != nil {
		return err
	}
	r.Kept = append(r.Kept, kept{Deposit: d})
	if err := a.save(); err != nil {
		return err
	}
	// 5. It is set, and the operating system is asked.
	if err := a.Host.SetPassword(ctx, account.SID, secret); err != nil {
		return fmt.Errorf("setting the password: %w", err)
	}
	if name != account.Name {
		if err := a.Host.RenameAccount(ctx, account.SID, name); err != nil {
			return fmt.Errorf("renaming the account: %w", err)
		}
	}
	if err := a.Host.CheckPassword(ctx, account.SID, secret); errors.Is(err, host.ErrCut) {
		return err
	} else if err != nil {
		return fmt.Errorf("%w (%w)", errDoesntOpen, err)
	}
	set, err := a.Host.Read(ctx)
	if err != nil {
		return err
	}
	view := &pass{state: set}
	after, there := view.account(account.SID)
	if !there {
		return errNoSuchAccount
	}
	// 6. That is confirmed, and the intent is cleared.
	if err := a.confirm(ctx, protocol.Confirm{Epoch: d.Epoch, Number: d.Number}); err != nil {
		return err
	}
	r.done(d, made, after.PasswordSetAt, of.rule.AfterUse.Then, time.Duration(of.rule.AfterUse.WaitMinutes)*time.Minute)
	a.memory.note(a.now(), drift.Event{Kind: drift.PasswordChanged, Unit: of.unit, Subject: after.Name, Details: drift.Details{OldName: account.Name, NewName: after.Name, Reason: why}})
	return a.save()
}

// nextName is the name that the account gets: with new digits, where the rule wants that.
func (a *Agent) nextName(of ruled, r *rotating, account drift.Account, state drift.State) (string, error) {
	if !of.rule.RedrawName || r.Changed.IsZero() || of.target.Kind() != principal.Account {
		return account.Name, nil
	}
	for _, s := range a.memory.Asked.Settings {
		if desired, ok := s.Value.(unit.AccountValue); ok && s.Unit == unit.AccountOf(of.target.Value()) {
			return (&pass{state: state, job: Job{Random: a.Random}}).freeName(desired.Name)
		}
	}
	return account.Name, nil
}

// seal seals a password to the newest escrow key, and to the recovery key where there is one.
func (a *Agent) seal(d protocol.Deposit, secret string) ([]protocol.Sealed, error) {
	var sealed []protocol.Sealed
	for _, use := range []string{protocol.UseEscrow, protocol.UseRecovery} {
		key, live := a.memory.KeyList.Newest(use)
		if !live {
			continue
		}
		bytes, err := escrow.Seal(key.Key, escrow.Of(a.memory.KeyList.Organisation, a.memory.Device, d, key.Number), secret)
		if err != nil {
			return nil, err
		}
		sealed = append(sealed, protocol.Sealed{Key: key.Number, Bytes: bytes})
	}
	return sealed, nil
}
