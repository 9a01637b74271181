// Package rotate changes passwords when they are due: each is in escrow before it is set, wherever the power goes. It
// also does what rules want after somebody signed in, and carries out orders to change passwords.
package rotate

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rotation"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/agent/journal"
	"rankwarden.example/internal/agent/reconcile"
	"rankwarden.example/internal/agent/secret"
	"rankwarden.example/internal/wire/escrow"
	"rankwarden.example/internal/wire/protocol"
)

// Rotator changes the passwords of one device.
type Rotator struct {
	Host    host.Host
	Journal *journal.Journal
	Service Service
	Random  secret.Random
	// Now is service time, as far as it is known; it never goes back.
	Now func() time.Time
	// ServiceTime is a time of the device's own clock in service time.
	ServiceTime func(at time.Time) time.Time
	Log         *slog.Logger
	// Wake is when a password is due next, in service time; zero for none.
	Wake time.Time
}

// Service is what rotating needs of the service. Its errors match [protocol.Refusal] where the service refused, and
// [protocol.Unreachable] where no answer came.
type Service interface {
	// Deposit gives the service a sealed password, and gives the time at which it was durable.
	Deposit(ctx context.Context, d protocol.Deposit) (time.Time, error)
	// Confirm tells the service that the password of a deposit opens the account.
	Confirm(ctx context.Context, c protocol.Confirm) error
	// BeginEpoch asks for an epoch of this device in which no number was used; the same nonce gives the same epoch.
	BeginEpoch(ctx context.Context, held int64, nonce string) (int64, error)
	// FetchKeys reads the key list again.
	FetchKeys(ctx context.Context) error
}

// Due changes the passwords that are due, each at most once. It is true when one was changed,
// so that what waited for it can be done, and gives what stands in the way of the others.
func (x *Rotator) Due(ctx context.Context, state drift.State) (changed bool, failures []drift.Failure, err error) {
	return x.rotateWhatIsDue(ctx, state, false)
}

// rotateAgain is [Rotator.Due] after the key list was read again.
func (x *Rotator) rotateAgain(
	ctx context.Context, state drift.State,
) (changed bool, failures []drift.Failure, err error) {
	return x.rotateWhatIsDue(ctx, state, true)
}

func (x *Rotator) rotateWhatIsDue(
	ctx context.Context, state drift.State, retried bool,
) (changed bool, failures []drift.Failure, err error) {
	now := x.Now()
	x.Wake = time.Time{}
	x.Journal.Stop(now)
	x.dropOrders()
	x.Notice(state)
	view := reconcile.View{State: state, Bindings: x.Journal.Bindings}
	for _, of := range x.Journal.Rules() {
		account, there := view.Account(view.Find(of.Target))
		if !there {
			failures = append(failures, drift.Failure{Unit: of.Unit, Error: reconcile.ErrNoAccount.Error()})
			continue
		}
		if len(account.SharedWith) > 0 {
			failures = append(failures, drift.Failure{Unit: of.Unit, Error: sharedError(account).Error()})
			continue
		}
		r := x.Journal.Password(of.Target)
		at, why := x.due(of, r)
		if r.Retry.After(at) {
			at = r.Retry
		}
		if at.After(now) {
			x.wakeAt(at)
			if r.Error != "" {
				failures = append(failures, drift.Failure{Unit: of.Unit, Error: r.Error})
			}
			continue
		}
		err := x.change(ctx, of, r, account, state, why)
		var refused *protocol.Refusal
		var offline *protocol.Unreachable
		switch {
		case err == nil:
			changed = true
			x.finishOrders(of.Target, now)
		case errors.Is(err, host.ErrShuttingDown), errors.Is(err, journal.ErrKept), ctx.Err() != nil:
			return changed, failures, err
		case errors.As(err, &refused) && refused.Code == protocol.CodeSequenceBehind:
			if err := x.NewEpoch(ctx); err != nil {
				return changed, failures, err
			}
			return true, failures, nil // everything is due again, in the new epoch
		case errors.As(err, &refused) && refused.Code == protocol.CodeKeyRetired && !retried:
			// The key was retired a moment ago: the newer list names another one, and the next number is sealed to it.
			if err := x.Service.FetchKeys(ctx); err != nil {
				return changed, failures, &protocol.Unreachable{Why: err}
			}
			return x.rotateAgain(ctx, state)
		case errors.As(err, &offline): // the exchange that follows says so, and is tried again
		default:
			if r.Failed(now, err) {
				x.Journal.Note(now, drift.Event{
					Kind:    drift.RotationFailed,
					Unit:    of.Unit,
					Subject: account.Name,
					Details: drift.Details{Error: err.Error()},
				})
			}
			x.tellOrders(of.Target, now, err)
			x.wakeAt(r.Retry)
			failures = append(failures, drift.Failure{Unit: of.Unit, Error: r.Error})
		}
	}
	if err := x.pay(ctx); err != nil {
		return changed, failures, err
	}
	return changed, failures, x.Journal.Save()
}

// Notice compares what is known of passwords with the accounts as they are now.
func (x *Rotator) Notice(state drift.State) {
	view := reconcile.View{State: state, Bindings: x.Journal.Bindings}
	for _, of := range x.Journal.Rules() {
		if account, there := view.Account(view.Find(of.Target)); there &&
			len(account.SharedWith) == 0 && x.Journal.Password(of.Target).Notice(account) {
			x.Journal.Note(x.Now(), drift.Event{Kind: drift.PasswordForeign, Unit: of.Unit, Subject: account.Name})
		}
	}
}

// sharedError says of an account whose number others have that its password is not changed: it is not known whose that
// would be.
func sharedError(a drift.Account) error {
	return fmt.Errorf("%s has the same number as %s, so that its password is not changed; give one of them another",
		a.Name, strings.Join(a.SharedWith, " and "))
}

// wakeAt sees that the agent looks at passwords again then.
func (x *Rotator) wakeAt(at time.Time) {
	if x.Wake.IsZero() || at.Before(x.Wake) {
		x.Wake = at
	}
}

var (
	errLocked     = errors.New("the account is locked, so that its password cannot be checked; unlock it, or wait")
	errNoEscrow   = errors.New("the service has no live escrow key; create and prove one, see rankwardend keys")
	errDoesntOpen = errors.New("the new password was set, but does not open the account; it will be changed again")
)

// change is one rotation in six steps. Wherever it is cut, the password that the account really has
// is in escrow: it is set only after the service has stored it, and the one before stays there. It is long because the
// steps are read in one.
func (x *Rotator) change(
	ctx context.Context,
	of journal.Rule,
	r *journal.Password,
	account drift.Account,
	state drift.State,
	why rotation.Reason,
) error {
	if account.Locked {
		return errLocked
	}
	if _, live := x.Journal.KeyList.Newest(protocol.UseEscrow); !live {
		return errNoEscrow
	}
	// 1. The number is taken and the intent kept on disk, so that no number is ever used twice.
	x.Journal.Deposit++
	r.Begun = x.Journal.Deposit
	if err := x.Journal.Save(); err != nil {
		return err
	}
	// 2. The password and the name are made.
	password, err := secret.New(x.Random, of.Secret, account.Name, account.FullName, state.Passwords)
	if err != nil {
		return err
	}
	name, err := x.nextName(ctx, of, r, account, state)
	if err != nil {
		return err
	}
	// 3. It is sealed.
	d := protocol.Deposit{Epoch: x.Journal.Epoch, Number: x.Journal.Deposit, Target: of.Target, Account: account.SID,
		NameBefore: account.Name, NameAfter: name, Reason: why, Desired: x.Journal.Desired}
	if d.Sealed, err = x.seal(d, password); err != nil {
		return err
	}
	// 4. It is in escrow before it is set, and the device keeps the sealed copy.
	made, err := x.Service.Deposit(ctx, d)
	if err != nil {
		return err
	}
	r.Kept = append(r.Kept, journal.StoredDeposit{Deposit: d})
	if err := x.Journal.Save(); err != nil {
		return err
	}
	// 5. It is set, and the operating system is asked.
	if err := x.Host.SetPassword(ctx, account.SID, password); err != nil {
		return fmt.Errorf("setting the password: %w", err)
	}
	if name != account.Name {
		if err := x.Host.RenameAccount(ctx, account.SID, name); err != nil {
			return fmt.Errorf("renaming the account: %w", err)
		}
	}
	if err := x.Host.CheckPassword(ctx, account.SID, password); errors.Is(err, host.ErrShuttingDown) {
		return err
	} else if err != nil {
		return fmt.Errorf("%w (%w)", errDoesntOpen, err)
	}
	set, err := x.Host.Read(ctx)
	if err != nil {
		return err
	}
	view := reconcile.View{State: set}
	after, there := view.Account(account.SID)
	if !there {
		return reconcile.ErrNoAccount
	}
	// 6. That is confirmed, and the intent is cleared.
	if err := x.Service.Confirm(ctx, protocol.Confirm{Epoch: d.Epoch, Number: d.Number}); err != nil {
		return err
	}
	r.Done(d, made, after.PasswordStamp, of.AfterUse.Then, time.Duration(of.AfterUse.WaitMinutes)*time.Minute)
	details := drift.Details{OldName: account.Name, NewName: after.Name, Reason: why}
	if after.Name != account.Name {
		details.StillNamed, _ = host.NamedIn(ctx, x.Host, account.Name) // the password counts, whatever names it
	}
	x.Journal.Note(x.Now(), drift.Event{
		Kind: drift.PasswordChanged, Unit: of.Unit, Subject: after.Name, Details: details,
	})
	if err := x.Journal.Save(); err != nil {
		return err
	}
	if err := x.clearKeys(ctx, of, after); err != nil {
		return fmt.Errorf("the password was changed, but SSH keys still open the account: %w", err)
	}
	return nil
}

// clearKeys takes the keys away that open an account beside its password, unless the policy keeps them.
func (x *Rotator) clearKeys(ctx context.Context, of journal.Rule, account drift.Account) error {
	clears, ok := x.Host.(host.ClearsKeys)
	for _, s := range x.Journal.Asked.Settings {
		if desired, is := s.Value.(unit.AccountValue); is && of.Target.Kind() == principal.Account &&
			s.Unit == unit.AccountOf(of.Target.Value()) {
			ok = ok && !desired.KeepKeys
		}
	}
	if !ok {
		return nil
	}
	files, err := clears.ClearKeys(ctx, account.SID)
	if files > 0 {
		x.Journal.Note(x.Now(), drift.Event{Kind: drift.KeysRemoved, Unit: of.Unit, Subject: account.Name})
	}
	return err
}

// nextName is the name that the account gets: with new digits, where the rule wants that. A host that cannot rename an
// account in use keeps its name until the next time: the password is what must change.
func (x *Rotator) nextName(
	ctx context.Context, of journal.Rule, r *journal.Password, account drift.Account, state drift.State,
) (string, error) {
	if !of.RedrawName || r.Changed.IsZero() || of.Target.Kind() != principal.Account {
		return account.Name, nil
	}
	if asks, ok := x.Host.(host.RenamesUnused); ok {
		if used, err := asks.InUse(ctx, account.SID); err != nil || used {
			return account.Name, err
		}
	}
	for _, s := range x.Journal.Asked.Settings {
		if desired, ok := s.Value.(unit.AccountValue); ok && s.Unit == unit.AccountOf(of.Target.Value()) {
			return (&reconcile.View{State: state}).FreeName(x.Random, desired.Name)
		}
	}
	return account.Name, nil
}

// seal seals a password to the newest escrow key, and to the recovery key where there is one.
func (x *Rotator) seal(d protocol.Deposit, password string) ([]protocol.SealedCopy, error) {
	var sealed []protocol.SealedCopy
	for _, use := range []string{protocol.UseEscrow, protocol.UseRecovery} {
		key, live := x.Journal.KeyList.Newest(use)
		if !live {
			continue
		}
		bytes, err := escrow.Seal(
			key.Key,
			escrow.Of(x.Journal.KeyList.Organisation, x.Journal.Device, d, key.Number),
			password,
		)
		if err != nil {
			return nil, err
		}
		sealed = append(sealed, protocol.SealedCopy{Key: key.Number, Bytes: bytes})
	}
	return sealed, nil
}
