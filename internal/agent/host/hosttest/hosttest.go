// Package hosttest states what every host must do, as a list of checks that run against a real one: in tests, and on a
// machine that may be thrown away. Each check makes an account of its own and removes it; rules are put back.
package hosttest

import (
	"context"
	"errors"
	"fmt"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent/host"
)

// Bench is a host, with the hands of somebody who works there.
type Bench struct {
	Host host.Host
	// SignIn signs in at the device with a name and a password, as at its keyboard, and out again.
	SignIn func(ctx context.Context, name, password string) error
	// Stay signs in and stays; there says whether the person is still signed in.
	Stay func(ctx context.Context, name, password string) (there func() bool, err error)
	// Change changes a password as its owner, under the rules that are in force.
	Change func(ctx context.Context, name, old, password string) error
	// Later lets time go on for the host.
	Later func(d time.Duration) error
	// Second starts a second agent beside the one that runs; its error is why that is refused.
	Second func() error
	// Hidden is what the host must find, although no file that it writes shows it; none where the platform has no such.
	Hidden []Hidden
	// Deeds are what the host must do that only the machine shows; none where the platform has no such.
	Deeds []Deed
}

// Check is one thing that every host must do.
type Check struct {
	Name string // continues a sentence that begins with "a host"
	run  func(b *bench)
}

// Checks are all of them.
func Checks() []Check {
	return []Check{
		{"creates accounts that are disabled and that nothing opens", createsDisabled},
		{"takes names with letters of any script, or says why not", takesNames},
		{"sets a password that then opens the account, and no other", setsPasswords},
		{"gives another stamp whenever a password is set", stampsPasswords},
		{"counts wrong passwords, and locks and unlocks as its lockout says", locks},
		{"unlocks an account when it is told to", unlocks},
		{"keeps the identifier when it renames", renames},
		{"describes accounts, and leaves what it is not told", describes},
		{"enables and disables", enables},
		{"has accounts expire on a day, also after they were disabled", expires},
		{"keeps users from changing a fixed password, where it can", fixesPasswords},
		{"has a user change a password before the next sign-in", requiresChange},
		{"makes local groups, and removes empty ones", makesGroups},
		{"keeps members by identifier", keepsMembers},
		{"really enforces the password rules that it took", enforcesRules},
		{"takes all password rules together, or none", takesRulesTogether},
		{"sees sign-ins in order, and ends sessions", seesSignIns},
		{"removes an account for good", deletes},
		{"does the same again without harm", repeats},
		{"refuses what concerns an account that is not there", refusesUnknown},
		{"stops when it is told to", stops},
		{"has one agent at a time", isOnlyOne},
	}
}

// Run does the check; nil is that the host does what it must.
func (c Check) Run(ctx context.Context, with *Bench) (err error) {
	b := &bench{Bench: with, ctx: ctx}
	defer func() {
		if r := recover(); r != nil {
			failed, ours := r.(failure)
			if !ours {
				panic(r)
			}
			err = failed.error
		}
		err = errors.Join(err, b.tidy())
	}()
	c.run(b)
	return nil
}

// failure ends a check.
type failure struct{ error }

// bench is a check that runs.
type bench struct {
	*Bench
	ctx  context.Context
	mine []principal.SID // accounts that the check made
	undo []func() error
}

// tidy removes what the check made.
func (b *bench) tidy() (err error) {
	b.ctx = context.WithoutCancel(b.ctx)
	for _, undo := range b.undo {
		err = errors.Join(err, undo())
	}
	state, readErr := b.Host.Read(b.ctx)
	err = errors.Join(err, readErr)
	for _, sid := range b.mine {
		if _, there := find(state, sid); there {
			err = errors.Join(err, b.Host.DeleteAccount(b.ctx, sid))
		}
	}
	return err
}

func (b *bench) fail(format string, args ...any) { panic(failure{fmt.Errorf(format, args...)}) }

// must ends the check when something that must work did not.
func (b *bench) must(what string, err error) {
	if err != nil {
		b.fail("%s: %w", what, err)
	}
}

// mustNot ends the check when something was done that must be refused.
func (b *bench) mustNot(what string, err error) {
	if err == nil {
		b.fail("%s was not refused", what)
	}
}

// is ends the check when something is not so.
func (b *bench) is(what string, holds bool) {
	if !holds {
		b.fail("not so: %s", what)
	}
}

// comes ends the check when something does not come to be so. It is for what the system itself does afterwards, as
// closing the terminal of somebody whose programs were ended.
func (b *bench) comes(what string, holds func() bool) {
	for end := time.Now().Add(time.Minute); !holds(); {
		if time.Now().After(end) {
			b.fail("does not come to be so: %s", what)
		}
		select {
		case <-b.ctx.Done():
			b.fail("%s: %w", what, b.ctx.Err())
		case <-time.After(10 * time.Millisecond):
		}
	}
}

// state is what the host reads now.
func (b *bench) state() drift.State {
	state, err := b.Host.Read(b.ctx)
	b.must("reading the host", err)
	return state
}

func find(state drift.State, sid principal.SID) (drift.Account, bool) {
	for _, a := range state.Accounts {
		if a.SID == sid {
			return a, true
		}
	}
	return drift.Account{}, false
}

// account reads an account that must be there.
func (b *bench) account(sid principal.SID) drift.Account {
	a, there := find(b.state(), sid)
	b.is("the account is there", there)
	return a
}

// create makes an account that goes again.
func (b *bench) create(name string) principal.SID {
	sid, err := b.Host.CreateAccount(b.ctx, name)
	b.must("creating "+name, err)
	b.mine = append(b.mine, sid)
	return sid
}

// Passwords that every rule of a check takes.
const (
	password = "Harbour-lamp-41"
	another  = "Tide-table-7306"
)

// opened makes an enabled account with a password.
func (b *bench) opened(name string) principal.SID {
	sid := b.create(name)
	b.must("setting a password", b.Host.SetPassword(b.ctx, sid, password))
	b.must("enabling", b.Host.EnableAccount(b.ctx, sid, true))
	return sid
}
