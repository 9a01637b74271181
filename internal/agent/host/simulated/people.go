package simulated

import (
	"context"
	"crypto/subtle"
	"fmt"
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/wire/protocol"
)

// What people do at a workstation, and programs that run there.

// SignIn tries a password. Wrong ones are counted, and lock the account as the lockout says.
func (w *Workstation) SignIn(name, password string) error {
	w.mu.Lock()
	defer w.mu.Unlock()
	a := w.named(name)
	if a == nil {
		return ErrWrong // what exists is not told
	}
	if _, locked := w.lockedUntil(*a); locked {
		return ErrLocked
	}
	if !a.Enabled || a.Expired(w.Now()) {
		return ErrDisabled
	}
	w.dirty = true
	given := hash(a.SID, password)
	if subtle.ConstantTimeCompare(given[:], a.Password[:]) == 1 {
		if a.MustChange {
			return ErrMustChange
		}
		a.Wrong, a.LockedAt = 0, nil
		w.m.Sessions = append(w.m.Sessions, a.SID)
		w.signedIn(a.SID)
		return nil
	}
	w.wrong(a)
	return ErrWrong
}

// Arrive is somebody of the directory who signs in.
func (w *Workstation) Arrive(person principal.SID) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.dirty = true
	w.signedIn(person)
}

// signOut ends the sessions of an account, as whoever works there does.
func (w *Workstation) signOut(name string) {
	sid := w.Find(name)
	w.mu.Lock()
	defer w.mu.Unlock()
	w.m.Sessions = slices.DeleteFunc(w.m.Sessions, func(s principal.SID) bool { return s == sid })
}

// Change changes a password as its owner.
func (w *Workstation) Change(ctx context.Context, name, old, password string) error {
	sid := w.Find(name)
	if err := w.CheckPassword(ctx, sid, old); err != nil {
		return err
	}
	if w.isFixed(sid) {
		return ErrFixed
	}
	return w.SetPassword(ctx, sid, password)
}

// isFixed reports whether the owner of an account cannot change its password.
func (w *Workstation) isFixed(account principal.SID) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	a := w.account(account)
	return a != nil && a.PasswordFixed
}

// wrong counts a wrong password.
func (w *Workstation) wrong(a *Account) {
	now, rule := w.Now(), w.m.Lockout
	w.dirty = true
	if now.Sub(a.WrongAt) >= time.Duration(rule.WindowMinutes)*time.Minute {
		a.Wrong = 0
	}
	a.Wrong++
	a.WrongAt = now
	if rule.Threshold > 0 && a.Wrong >= rule.Threshold {
		a.LockedAt, a.Wrong = &now, 0
		w.tell()
	}
}

// lockedUntil says whether an account is locked now; until is nil when it is until someone unlocks.
func (w *Workstation) lockedUntil(a Account) (until *time.Time, locked bool) {
	if a.LockedAt == nil {
		return nil, false
	}
	if w.m.Lockout.DurationMinutes == 0 {
		return nil, true
	}
	end := a.LockedAt.UTC().Add(time.Duration(w.m.Lockout.DurationMinutes) * time.Minute)
	return &end, w.Now().Before(end)
}

// AddAccount makes an enabled account, unless there is one of that name.
func (w *Workstation) AddAccount(name string) principal.SID {
	w.mu.Lock()
	defer w.mu.Unlock()
	if a := w.named(name); a != nil {
		return a.SID
	}
	sid := w.create(name)
	w.account(sid).Enabled = true
	w.dirty = true
	return sid
}

// Find is the identifier of the account of that name, zero when there is none.
func (w *Workstation) Find(name string) principal.SID {
	w.mu.Lock()
	defer w.mu.Unlock()
	if a := w.named(name); a != nil {
		return a.SID
	}
	return principal.SID{}
}

// SignedIn reports whether somebody is signed in as the account.
func (w *Workstation) SignedIn(account principal.SID) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	return slices.Contains(w.m.Sessions, account)
}

// WhoIsThere implements [host.TellsWhoIsThere].
func (w *Workstation) WhoIsThere(context.Context) ([]string, error) {
	w.mu.Lock()
	defer w.mu.Unlock()
	var names []string
	for _, sid := range w.m.Sessions {
		if a := w.account(sid); a != nil {
			names = append(names, a.Name)
		}
	}
	return names, nil
}

// Upgrade gives the device another build of its operating system, as after an upgrade.
func (w *Workstation) Upgrade(version string, build int) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.m.Facts.OSVersion, w.m.Facts.OSBuild, w.dirty = version, build, true
}

// Rename gives the workstation another name.
func (w *Workstation) Rename(name string) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.m.Facts.Name = name
}

// Join puts a local account into a local group, as somebody with rights at the keyboard can.
func (w *Workstation) Join(group, name string) error {
	w.mu.Lock()
	known, a := w.m.Groups, w.named(name)
	i := slices.IndexFunc(known, func(g Group) bool {
		return text.Fold(g.Name) == group ||
			g.SID == drift.WellKnown(group)
	})
	if a == nil || i < 0 {
		w.mu.Unlock()
		return ErrNoAccount
	}
	sid, at := a.SID, known[i].SID
	w.mu.Unlock()
	return w.AddMember(context.Background(), at, sid)
}

// Factory is a workstation as it leaves the factory: the built-in accounts disabled, nobody else,
// and the operating system's own rules. Its accounts' identifiers begin with the domain.
func Factory(facts protocol.Facts, domain principal.SID, now time.Time) Machine {
	m := Machine{Facts: facts, Domain: domain, NextID: 1001,
		Passwords: drift.Passwords{
			MinLength:  new(0),
			History:    new(0),
			MaxAgeDays: new(42),
			MinAgeDays: new(0),
			Complexity: new(false),
		},
		Lockout: unit.LockoutRule{Threshold: 10, DurationMinutes: 10, WindowMinutes: 10}}
	add := func(name string, id uint32) principal.SID {
		sid := principal.MustSID(fmt.Sprintf("%s-%d", domain, id))
		m.Accounts = append(m.Accounts, Account{Name: name, SID: sid, SetAt: now})
		return sid
	}
	members := map[string][]principal.SID{"administrators": {add("Administrator", 500)}, "guests": {add("Guest", 501)}}
	for _, name := range []string{"administrators", "users", "guests", "remote-desktop-users", "backup-operators",
		"event-log-readers"} {
		m.Groups = append(m.Groups, Group{Name: name, SID: drift.WellKnown(name), Members: members[name]})
	}
	return m
}

// FactoryLinux is a workstation with Linux as it leaves the factory: root alone, whose password is locked, and the
// local groups of that platform.
func FactoryLinux(facts protocol.Facts, domain principal.SID, now time.Time) Machine {
	m := Factory(facts, domain, now)
	m.Facts.Platform = host.PlatformLinux
	root := m.Accounts[0]
	root.Name, root.FullName, root.PasswordExpires = "root", "root", false
	m.Accounts = []Account{root}
	m.Passwords.MinLength, m.Passwords.MaxAgeDays = new(8), new(0)
	m.Groups = []Group{{Name: "sudo", SID: drift.WellKnown(unit.GroupAdministrators)}}
	for i, name := range []string{"adm", "audio", "video", "games"} {
		m.Groups = append(m.Groups, Group{Name: name, SID: principal.MustSID(fmt.Sprintf("S-1-22-2-%d", 4+i))})
	}
	return m
}

// SetFaults lets other things be wrong with the workstation from now on.
func (w *Workstation) SetFaults(f Faults) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.m.Faults, w.dirty = f, true
}

// Serve lets a service or a scheduled task run as an account from now on.
func (w *Workstation) Serve(name string, account principal.SID) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.m.Services, w.dirty = append(w.m.Services, Service{Name: name, Account: account}), true
}

// AllowSudo adds a line of sudoers.
func (w *Workstation) AllowSudo(s drift.Sudo) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.m.Sudoers, w.dirty = append(w.m.Sudoers, s), true
}
