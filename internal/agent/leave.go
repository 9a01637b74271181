package agent

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"

	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/agent/journal"
	"rankwarden.example/internal/agent/reconcile"
	"rankwarden.example/internal/wire/protocol"
)

// Leaving is what became of a device that the agent left.
type Leaving struct {
	Done []string // what was given back or ended
	Left []string // what could not be, and why
}

// Leave has the agent give the device back: memberships by warrant end, managed accounts are disabled, or with handOver
// stay enabled with a last password in escrow, and the system is what it was before the agent as far as nobody else
// changed it. Then the agent forgets who the device is. It goes on over what fails, and says so.
func (a *Agent) Leave(ctx context.Context, handOver bool) (l Leaving, err error) {
	state, err := a.Host.Read(ctx)
	if err != nil {
		return l, fmt.Errorf("reading the device: %w", err)
	}
	note := func(done string, err error) {
		if err != nil {
			l.Left = append(l.Left, fmt.Sprintf("%s: %v", done, err))
		} else {
			l.Done = append(l.Done, done)
		}
	}
	if handOver {
		note("a last password of each managed account is in escrow", a.lastPasswords(ctx))
	}
	for _, g := range a.journal.Granted {
		note(fmt.Sprintf("the warrant of %s ended", g.Principal), a.Host.RemoveMember(ctx, g.Group, g.Member))
	}
	view := reconcile.View{State: state, Bindings: a.journal.Bindings}
	for _, key := range slices.Sorted(maps.Keys(a.journal.Bindings)) {
		account, there := view.Account(a.journal.Bindings[key])
		switch {
		case !there:
		case handOver:
			l.Done = append(l.Done, account.Name+" stays as it is, and its password is not rotated any more")
		case account.Enabled:
			note(account.Name+" was disabled", a.Host.EnableAccount(ctx, account.SID, false))
		}
	}
	if gives, ok := a.Host.(host.GivesBack); ok {
		left, err := gives.GiveBack(ctx)
		l.Left = append(l.Left, left...)
		if err != nil {
			return l, err
		}
		l.Done = append(l.Done, "the rules of the system are what they were, but for what is said")
	}
	return l, a.forget()
}

// lastPasswords changes every password that a rule rotates, as an order does.
func (a *Agent) lastPasswords(ctx context.Context) error {
	a.journal.Accept(protocol.Order{NotBefore: a.now()})
	state, err := a.Host.Read(ctx)
	if err != nil {
		return err
	}
	_, failures, err := a.rotator.Due(ctx, state)
	for _, f := range failures {
		err = errors.Join(err, errors.New(f.Error))
	}
	return err
}

// forget removes what the agent kept of who the device is.
func (a *Agent) forget() error {
	err := os.Remove(filepath.Join(a.Dir, journal.File))
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	return err
}
