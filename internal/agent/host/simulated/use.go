package simulated

import (
	"context"
	"crypto/subtle"
	"slices"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent/host"
)

// keptLog is how many sign-ins, and how many notices, a workstation remembers.
const keptLog = 200

// signedIn writes a sign-in into the log.
func (w *Workstation) signedIn(account principal.SID) {
	next := int64(1)
	if n := len(w.m.SignIns); n > 0 {
		next = w.m.SignIns[n-1].Number + 1
	}
	w.m.SignIns = append(w.m.SignIns, host.SignIn{Number: next, Account: account, At: w.Now()})
	w.m.SignIns = w.m.SignIns[max(0, len(w.m.SignIns)-keptLog):]
	w.tell()
}

// tell wakes whoever watches.
func (w *Workstation) tell() {
	select {
	case w.watch <- struct{}{}:
	default: // it was told already
	}
}

// Watch implements [host.Host].
func (w *Workstation) Watch() <-chan struct{} { return w.watch }

// SignIns implements [host.Host].
func (w *Workstation) SignIns(ctx context.Context, after int64) ([]host.SignIn, error) {
	w.mu.Lock()
	defer w.mu.Unlock()
	var found []host.SignIn
	for _, s := range w.m.SignIns {
		if s.Number > after {
			found = append(found, s)
		}
	}
	return found, ctx.Err()
}

// CheckPassword implements [host.Host].
func (w *Workstation) CheckPassword(ctx context.Context, account principal.SID, password string) error {
	return w.change(ctx, func() error {
		a := w.account(account)
		if a == nil {
			return ErrNoAccount
		}
		if _, locked := w.lockedUntil(*a); locked {
			return ErrLocked
		}
		given := hash(a.SID, password)
		if subtle.ConstantTimeCompare(given[:], a.Password[:]) != 1 {
			w.wrong(a)
			return ErrWrong
		}
		return nil
	})
}

// Opens reports whether a password is the account's, whatever the state of the account. It asks past
// the operating system's counters, for those who look at the machine from outside.
func (w *Workstation) Opens(account principal.SID, password string) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	a := w.account(account)
	return a != nil && a.Password == hash(account, password)
}

// Notify implements [host.Host].
func (w *Workstation) Notify(ctx context.Context, message string) error {
	return w.change(ctx, func() error {
		w.m.Notices = append(w.m.Notices, message)
		w.m.Notices = w.m.Notices[max(0, len(w.m.Notices)-keptLog):]
		return nil
	})
}

// Restart implements [host.Host]: whoever was signed in no longer is.
func (w *Workstation) Restart(ctx context.Context) error {
	return w.change(ctx, func() error {
		w.m.Sessions = nil
		w.m.Restarts++
		return nil
	})
}

// Runs implements [host.TellsUse].
func (w *Workstation) Runs(ctx context.Context) (map[principal.SID][]string, error) {
	w.mu.Lock()
	defer w.mu.Unlock()
	found := map[principal.SID][]string{}
	for _, s := range w.m.Services {
		found[s.Account] = append(found[s.Account], s.Name)
	}
	return found, ctx.Err()
}

// Sudo implements [host.TellsUse].
func (w *Workstation) Sudo(ctx context.Context) ([]drift.Sudo, error) {
	w.mu.Lock()
	defer w.mu.Unlock()
	return slices.Clone(w.m.Sudoers), ctx.Err()
}
