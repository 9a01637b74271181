package reconcile

import (
	"fmt"
	"slices"
	"strings"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/agent/secret"
)

func (p *pass) eachAccount(do func(id unit.ID, key string, desired unit.AccountValue)) {
	for _, s := range p.settings {
		if desired, ok := s.Value.(unit.AccountValue); ok && p.fatal == nil {
			key, _ := s.Unit.AccountKey()
			do(s.Unit, key, desired)
		}
	}
}

func (p *pass) bound(key string) (drift.Account, bool) { return p.Account(p.Bindings[key]) }

// candidates are the accounts that could be taken for a key without a binding: those whose name
// fits, or failing that one of the former names, that are neither built in nor bound.
func (p *pass) candidates(desired unit.AccountValue) []drift.Account {
	for _, pattern := range append([]string{desired.Name}, desired.Formerly...) {
		var fit []drift.Account
		for _, a := range p.State.Accounts {
			if a.Builtin == "" && a.Key == "" && drift.FitsName(pattern, a.Name) {
				fit = append(fit, a)
			}
		}
		if len(fit) > 0 {
			return fit
		}
	}
	return nil
}

// accountIn sees that an account that is to exist does, with its details, and is enabled if it is
// to be. A new or adopted account gets a password that nobody knows before it gains anything.
func (p *pass) accountIn(id unit.ID, key string, desired unit.AccountValue) {
	if desired.State == unit.Absent {
		return
	}
	a, found := p.bound(key)
	if !found {
		candidates := p.candidates(desired)
		switch {
		case len(candidates) > 1:
			p.one(id, func() error { return severalFit(candidates) })
			return
		case len(candidates) == 1:
			if a, found = p.adopt(id, key, candidates[0], desired); !found {
				return
			}
		default:
			if a, found = p.create(id, key, desired); !found {
				return
			}
		}
	}
	p.describe(id, a, desired)
	p.requireChange(id, a, desired)
	if desired.State == unit.Enabled && p.is(id, drift.AccountState) && !p.awaits(principal.FromKey(key)) {
		if p.one(id, func() error { return p.host.EnableAccount(p.ctx, a.SID, true) }) {
			p.did(drift.AccountEnabled, id, a.Name, drift.Details{})
		}
	}
}

func severalFit(candidates []drift.Account) error {
	names := make([]string, len(candidates))
	for i, a := range candidates {
		names[i] = a.Name
	}
	slices.Sort(names)
	return fmt.Errorf("several accounts fit the name: %s; rename or remove all but one", strings.Join(names, ", "))
}

// adopt takes over an account that was there: whoever used it is signed out. Where a rule rotates its
// password, that follows as soon as the new one is in escrow, and before it gains anything; else it
// gets one that nobody knows now.
// Where the policy says that the password is kept, it and the sessions are left alone. An account that services or
// scheduled tasks run as is taken over only where the policy says so.
func (p *pass) adopt(id unit.ID, key string, a drift.Account, desired unit.AccountValue) (drift.Account, bool) {
	ok := p.one(id, func() error {
		if err := p.mayTakeOver(a, desired); err != nil || desired.KeepPassword {
			return err
		}
		if err := p.host.EndSessions(p.ctx, a.SID); err != nil {
			return err
		}
		if err := p.clearKeys(id, a, desired); err != nil {
			return err
		}
		if p.awaits(principal.FromKey(key)) {
			return nil
		}
		return p.host.SetPassword(p.ctx, a.SID, secret.Unknown(p.job.Random, p.minLength()))
	})
	if !ok {
		return a, false
	}
	p.Bindings[key] = a.SID
	p.did(drift.AccountAdopted, id, a.Name, drift.Details{})
	p.read()
	return p.bound(key)
}

// clearKeys takes the keys away that open an account beside its password, unless the policy keeps them.
func (p *pass) clearKeys(id unit.ID, a drift.Account, desired unit.AccountValue) error {
	clears, ok := p.host.(host.ClearsKeys)
	if !ok || desired.KeepKeys {
		return nil
	}
	files, err := clears.ClearKeys(p.ctx, a.SID)
	if files > 0 {
		p.did(drift.KeysRemoved, id, a.Name, drift.Details{})
	}
	return err
}

// mayTakeOver refuses an account that something runs as.
func (p *pass) mayTakeOver(a drift.Account, desired unit.AccountValue) error {
	if desired.TakeOver {
		return nil
	}
	list, err := p.runningAs(a)
	switch {
	case err != nil:
		return err
	case len(list) > 0:
		return fmt.Errorf("%s is in use by %s, so it is not taken over; write take_over: true in the policy to do it "+
			"all the same", a.Name, strings.Join(list, ", "))
	}
	return nil
}

func (p *pass) create(id unit.ID, key string, desired unit.AccountValue) (drift.Account, bool) {
	ok := p.one(id, func() error {
		name, err := p.FreeName(p.job.Random, desired.Name)
		if err != nil {
			return err
		}
		sid, err := p.host.CreateAccount(p.ctx, name)
		if err != nil {
			return err
		}
		p.Bindings[key] = sid
		return p.host.SetPassword(p.ctx, sid, secret.Unknown(p.job.Random, p.minLength()))
	})
	p.read()
	a, found := p.bound(key)
	if found {
		p.did(drift.AccountCreated, id, a.Name, drift.Details{})
	}
	return a, found && ok
}

func (p *pass) describe(id unit.ID, a drift.Account, desired unit.AccountValue) {
	details := a.Details
	for _, f := range p.differs(id) {
		if d, known := unit.DetailOf(f.Subject); known && f.Kind == drift.AccountDetail {
			details = d.With(details, desired.Details)
		}
	}
	if details != a.Details {
		if p.one(id, func() error { return p.host.DescribeAccount(p.ctx, a.SID, details) }) {
			p.did(drift.AccountDescribed, id, a.Name, drift.Details{})
		}
	}
}

// requireChange tells the user of an account, once, to change its password.
func (p *pass) requireChange(id unit.ID, a drift.Account, desired unit.AccountValue) {
	if !desired.ChangePassword {
		return
	}
	if p.job.Changing[a.SID] ||
		p.one(id, func() error { return p.host.RequireChange(p.ctx, a.SID) }) {
		p.changing[a.SID] = true
	}
}

// accountOut disables, deletes or renames an account, after others were made usable.
func (p *pass) accountOut(id unit.ID, key string, desired unit.AccountValue) {
	if desired.State == unit.Absent {
		p.remove(id, key, desired)
		return
	}
	a, found := p.bound(key)
	if !found {
		return
	}
	if desired.State == unit.Disabled && p.is(id, drift.AccountState) {
		p.disable(id, a)
	}
	if p.is(id, drift.AccountName) {
		name := ""
		renamed := p.one(id, func() (err error) {
			if name, err = p.FreeName(p.job.Random, desired.Name); err != nil {
				return err
			}
			return p.host.RenameAccount(p.ctx, a.SID, name)
		})
		if renamed {
			p.didRename(id, a.Name, name)
		}
		p.read()
	}
}

// didRename notes a rename, with what still names the account as before: that gives rights to whoever has the name
// next.
func (p *pass) didRename(id unit.ID, from, to string) {
	named, _ := host.NamedIn(p.ctx, p.host, from) // it was renamed, whatever names it
	p.did(drift.AccountRenamed, id, to, drift.Details{OldName: from, NewName: to, StillNamed: named})
}

func (p *pass) remove(id unit.ID, key string, desired unit.AccountValue) {
	a, found := p.bound(key)
	if !found {
		desired.Formerly = nil // what had another name once is not what is to go
		switch candidates := p.candidates(desired); len(candidates) {
		case 0:
			return
		case 1:
			a = candidates[0]
		default:
			p.one(id, func() error { return severalFit(candidates) })
			return
		}
	}
	removed := p.one(id, func() error {
		if err := p.guard(a.SID); err != nil {
			return err
		}
		if err := p.host.EndSessions(p.ctx, a.SID); err != nil {
			return err
		}
		return p.host.DeleteAccount(p.ctx, a.SID)
	})
	if removed {
		p.did(drift.AccountRemoved, id, a.Name, drift.Details{})
	}
	p.read()
}

// disable disables an account under the guard; it reports whether that was done.
func (p *pass) disable(id unit.ID, a drift.Account) bool {
	disabled := p.one(id, func() error {
		if err := p.guard(a.SID); err != nil {
			return err
		}
		return p.host.EnableAccount(p.ctx, a.SID, false)
	})
	if disabled {
		p.did(drift.AccountDisabled, id, a.Name, drift.Details{})
	}
	p.read()
	return disabled
}
