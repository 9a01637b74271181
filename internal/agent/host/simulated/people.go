package simulated

import (
	"context"
	"crypto/subtle"
	"fmt"
	"slices"
	"time"
	"unicode"
	"unicode/utf8"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/wire"
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
	if !a.Enabled {
		return ErrDisabled
	}
	w.dirty = true
	given := hash(a.SID, password)
	if subtle.ConstantTimeCompare(given[:], a.Password[:]) == 1 {
		a.Wrong, a.LockedAt = 0, nil
		return nil
	}
	now, rule := w.Now(), w.m.Lockout
	if now.Sub(a.WrongAt) >= time.Duration(rule.WindowMinutes)*time.Minute {
		a.Wrong = 0
	}
	a.Wrong++
	a.WrongAt = now
	if rule.Threshold > 0 && a.Wrong >= rule.Threshold {
		a.LockedAt, a.Wrong = &now, 0
	}
	return ErrWrong
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

// SetPassword gives an account a new password, if the rules allow it.
func (w *Workstation) SetPassword(name, password string) error {
	w.mu.Lock()
	defer w.mu.Unlock()
	a := w.named(name)
	if a == nil {
		return ErrNoAccount
	}
	rules, next := w.m.Passwords, hash(a.SID, password)
	switch {
	case utf8.RuneCountInString(password) < *rules.MinLength:
		return fmt.Errorf("%w: it has fewer than %d characters", ErrPassword, *rules.MinLength)
	case *rules.Complexity && kinds(password) < 3:
		return fmt.Errorf("%w: it has fewer than three kinds of character", ErrPassword)
	case slices.Contains(append([][32]byte{a.Password}, a.Former...), next) && *rules.History > 0:
		return fmt.Errorf("%w: it was used before", ErrPassword)
	}
	a.Former = append([][32]byte{a.Password}, a.Former...)
	a.Former = a.Former[:min(len(a.Former), *rules.History)]
	a.Password, a.SetAt = next, w.Now()
	w.dirty = true
	return nil
}

// kinds counts the classes of characters: lower, upper, digits, all others.
func kinds(password string) int {
	seen := map[string]bool{}
	for _, r := range password {
		switch {
		case unicode.IsLower(r):
			seen["lower"] = true
		case unicode.IsUpper(r):
			seen["upper"] = true
		case unicode.IsDigit(r):
			seen["digit"] = true
		default:
			seen["other"] = true
		}
	}
	return len(seen)
}

// AddAccount makes an enabled account.
func (w *Workstation) AddAccount(name string) principal.SID {
	w.mu.Lock()
	defer w.mu.Unlock()
	if a := w.named(name); a != nil {
		return a.SID
	}
	sid := principal.MustSID(fmt.Sprintf("%s-%d", w.m.Domain, w.m.NextID))
	w.m.NextID++
	w.m.Accounts = append(w.m.Accounts, Account{Name: name, SID: sid, Enabled: true, SetAt: w.Now()})
	w.dirty = true
	return sid
}

// DeleteAccount removes an account, from its local groups too.
func (w *Workstation) DeleteAccount(name string) error {
	w.mu.Lock()
	defer w.mu.Unlock()
	a := w.named(name)
	if a == nil {
		return ErrNoAccount
	}
	sid := a.SID
	for i := range w.m.Groups {
		w.m.Groups[i].Members = slices.DeleteFunc(w.m.Groups[i].Members, func(m principal.SID) bool { return m == sid })
	}
	w.m.Accounts = slices.DeleteFunc(w.m.Accounts, func(x Account) bool { return x.SID == sid })
	w.dirty = true
	return nil
}

// Enable enables or disables an account.
func (w *Workstation) Enable(name string, enabled bool) error {
	w.mu.Lock()
	defer w.mu.Unlock()
	a := w.named(name)
	if a == nil {
		return ErrNoAccount
	}
	a.Enabled, w.dirty = enabled, true
	return nil
}

// Join puts a local account into a local group, as somebody with rights at the keyboard can.
func (w *Workstation) Join(group, name string) error {
	w.mu.Lock()
	known, a := w.m.Groups, w.named(name)
	i := slices.IndexFunc(known, func(g Group) bool { return text.Fold(g.Name) == group })
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
func Factory(facts wire.Facts, domain principal.SID, now time.Time) Machine {
	m := Machine{Facts: facts, Domain: domain, NextID: 1001,
		Passwords: drift.Passwords{MinLength: new(0), History: new(0), MaxAgeDays: new(42), MinAgeDays: new(0), Complexity: new(false)},
		Lockout:   policy.LockoutRule{Threshold: 10, DurationMinutes: 10, WindowMinutes: 10}}
	add := func(name string, id uint32) principal.SID {
		sid := principal.MustSID(fmt.Sprintf("%s-%d", domain, id))
		m.Accounts = append(m.Accounts, Account{Name: name, SID: sid, SetAt: now})
		return sid
	}
	members := map[string][]principal.SID{"administrators": {add("Administrator", 500)}, "guests": {add("Guest", 501)}}
	for _, name := range []string{"administrators", "users", "guests", "remote-desktop-users", "backup-operators", "event-log-readers"} {
		m.Groups = append(m.Groups, Group{Name: name, SID: drift.WellKnown(name), Members: members[name]})
	}
	return m
}
