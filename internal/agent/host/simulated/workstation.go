// Package simulated is a faithful stand-in for a workstation: accounts with security identifiers,
// local groups, password rules and a lockout that really refuse, a counter that really counts. It
// can lose power in the middle, refuse access, or lack a setting.
package simulated

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"sync"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/wire/protocol"
)

// Machine is all that a workstation keeps when it is off.
type Machine struct {
	Facts     protocol.Facts   `json:"facts"`
	Domain    principal.SID    `json:"domain"` // the machine's own identifier, that of its accounts begins with it
	NextID    uint32           `json:"next_id"`
	Accounts  []Account        `json:"accounts"`
	Groups    []Group          `json:"groups"`
	Passwords drift.Passwords  `json:"passwords"`
	Lockout   unit.LockoutRule `json:"lockout"`
	Directory []principal.SID  `json:"directory"` // identifiers from outside that it can resolve
	Sessions  []principal.SID  `json:"sessions"`  // who is signed in
	SignIns   []host.SignIn    `json:"sign_ins"`  // the latest
	Notices   []string         `json:"notices"`   // shown to whoever works there, the latest
	Restarts  int              `json:"restarts"`
	Services  []Service        `json:"services"`
	Sudoers   []drift.Sudo     `json:"sudoers"` // of a machine with Linux
	Faults    Faults           `json:"faults"`
}

// Service is a service or a scheduled task that runs as a local account.
type Service struct {
	Name    string        `json:"name"` // such as "service tide-sync"
	Account principal.SID `json:"account"`
}

// Account is a local account.
type Account struct {
	Name    string        `json:"name"`
	SID     principal.SID `json:"sid"`
	Enabled bool          `json:"enabled"`
	unit.Details
	MustChange bool       `json:"must_change,omitempty"` // at the next sign-in
	Password   [32]byte   `json:"password"`              // hash; the plain one is never kept
	SetAt      time.Time  `json:"set_at"`
	Former     [][32]byte `json:"former"` // as many as the history rule remembers
	Wrong      int        `json:"wrong"`
	WrongAt    time.Time  `json:"wrong_at"`
	LockedAt   *time.Time `json:"locked_at"`
}

// Group is a local group.
type Group struct {
	Name    string          `json:"name"`
	SID     principal.SID   `json:"sid"`
	Members []principal.SID `json:"members"`
}

// Faults are what is wrong with a workstation for good.
type Faults struct {
	DenyLockout bool `json:"deny_lockout"` // setting the lockout is denied
	NoLockout   bool `json:"no_lockout"`   // the platform has no lockout that could be set
	KeepsNames  bool `json:"keeps_names"`  // the platform's built-in accounts cannot be renamed
}

// Workstation is a running machine. All of its methods may be called at once.
type Workstation struct {
	Now func() time.Time

	mu       sync.Mutex
	m        Machine
	cutAfter int // changes until the power goes, negative for never
	dirty    bool
	watch    chan struct{}
}

var _ host.Host = (*Workstation)(nil)

// Boot starts a machine.
func Boot(m Machine, now func() time.Time) *Workstation {
	return &Workstation{Now: now, m: m, cutAfter: -1, watch: make(chan struct{}, 1)}
}

// ErrCut is given when the power went in the middle: then nothing more is done, as when a device shuts down.
var ErrCut = fmt.Errorf("the power was cut: %w", host.ErrShuttingDown)

// Refusals of the operating system.
var (
	ErrDenied    = errors.New("access denied")
	ErrNoGroup   = errors.New("the local group does not exist")
	ErrNoAccount = errors.New("the account does not exist")
	ErrKeepsOwn  = errors.New("the built-in administrator cannot leave administrators")
	ErrRules     = errors.New("the rules contradict each other")
	ErrPassword  = errors.New("the password does not meet the rules")
	ErrWrong     = errors.New("the password is wrong")
	ErrLocked    = errors.New("the account is locked")
	ErrDisabled  = errors.New("the account is disabled")
	ErrFixed     = errors.New("the password of this account cannot be changed by its user")
	// ErrMustChange is given for the right password of an account whose user must change it first.
	ErrMustChange = errors.New("the password must be changed first")
	ErrTaken      = fmt.Errorf("%w: it is taken", host.ErrName)
	ErrBuiltin    = errors.New("a built-in account cannot be deleted")
)

// CutAfter lets the power go after that many more changes; negative for never.
func (w *Workstation) CutAfter(changes int) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.cutAfter = changes
}

// change runs one change of the machine, unless the power goes before it.
func (w *Workstation) change(ctx context.Context, do func() error) error {
	w.mu.Lock()
	defer w.mu.Unlock()
	if err := ctx.Err(); err != nil {
		return err
	}
	if w.cutAfter == 0 {
		return ErrCut
	}
	if err := do(); err != nil {
		return err
	}
	w.dirty = true
	if w.cutAfter > 0 {
		w.cutAfter--
	}
	return nil
}

// build is that of the operating system; one that says none is new.
func (w *Workstation) build() int { return cmp.Or(w.m.Facts.OSBuild, host.RelaxedSince) }

// Limits implements [host.Host].
func (w *Workstation) Limits(context.Context) ([]drift.Limit, error) {
	w.mu.Lock()
	defer w.mu.Unlock()
	var limits []drift.Limit
	switch w.m.Facts.Platform {
	case host.PlatformLinux:
		limits = host.LinuxLimits()
	case host.PlatformWindows:
		limits = host.WindowsLimits(w.build(), true)
	}
	if w.m.Faults.NoLockout {
		limits = append(
			limits,
			drift.Limit{Setting: unit.Lockout, ReadOnly: true, Why: "has no lockout that could be set"},
		)
	}
	if w.m.Faults.KeepsNames {
		for _, ref := range []principal.Ref{principal.Administrator, principal.Guest} {
			limits = append(limits, drift.Limit{
				Setting:  unit.BuiltinOf(ref, unit.BuiltinName),
				ReadOnly: true,
				Why:      "cannot rename its built-in accounts",
			})
		}
	}
	return limits, nil
}

// Facts implements [host.Host].
func (w *Workstation) Facts(context.Context) (protocol.Facts, error) {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.m.Facts, nil
}

// Read implements [host.Host].
func (w *Workstation) Read(ctx context.Context) (drift.State, error) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if err := ctx.Err(); err != nil {
		return drift.State{}, err
	}
	passwords, lockout := w.m.Passwords, w.m.Lockout
	state := drift.State{
		Platform:  w.m.Facts.Platform,
		OSVersion: w.m.Facts.OSVersion,
		OSBuild:   w.m.Facts.OSBuild,
		Passwords: &passwords,
		Lockout:   &lockout,
	}
	for _, a := range w.m.Accounts {
		until, locked := w.lockedUntil(a)
		state.Accounts = append(
			state.Accounts,
			drift.Account{Name: a.Name, SID: a.SID, Builtin: builtin(a.SID), Enabled: a.Enabled && !a.Expired(w.Now()),
				Details: a.Details, PasswordSetAt: a.SetAt.UTC(), PasswordStamp: stamp(a), Locked: locked,
				LockedUntil: until},
		)
	}
	for _, g := range w.m.Groups {
		group := drift.LocalGroup{LocalGroup: g.Name, SID: g.SID, Members: []drift.Member{}}
		for _, sid := range g.Members {
			member := drift.Member{SID: sid}
			if a := w.account(sid); a != nil {
				member.Name = a.Name
			}
			group.Members = append(group.Members, member)
		}
		state.LocalGroups = append(state.LocalGroups, group)
	}
	return state, nil
}

// stamp changes whenever the password is set, also to the same one, and says nothing of it.
func stamp(a Account) string {
	sum := sha256.Sum256(append(a.Password[:], a.SetAt.UTC().Format(time.RFC3339Nano)...))
	return hex.EncodeToString(sum[:8])
}

func builtin(sid principal.SID) string {
	return map[uint32]string{500: "administrator", 501: "guest"}[sid.RelativeID()]
}

func (w *Workstation) account(sid principal.SID) *Account {
	i := slices.IndexFunc(w.m.Accounts, func(a Account) bool { return a.SID == sid })
	if i < 0 {
		return nil
	}
	return &w.m.Accounts[i]
}

func (w *Workstation) named(name string) *Account {
	i := slices.IndexFunc(w.m.Accounts, func(a Account) bool { return text.Fold(a.Name) == text.Fold(name) })
	if i < 0 {
		return nil
	}
	return &w.m.Accounts[i]
}

// SetPasswords implements [host.Host]. A minimum age must stay below a maximum age.
func (w *Workstation) SetPasswords(ctx context.Context, rules drift.Passwords) error {
	return w.change(ctx, func() error {
		next := w.m.Passwords
		set := func(to **int, from *int) {
			if from != nil {
				*to = from
			}
		}
		set(&next.MinLength, rules.MinLength)
		set(&next.History, rules.History)
		set(&next.MaxAgeDays, rules.MaxAgeDays)
		set(&next.MinAgeDays, rules.MinAgeDays)
		if rules.Complexity != nil {
			next.Complexity = rules.Complexity
		}
		if w.m.Facts.Platform == host.PlatformWindows && w.build() < host.RelaxedSince &&
			*next.MinLength > unit.SureMinLength {
			return fmt.Errorf("%w: minimum length %d", ErrRules, *next.MinLength)
		}
		if *next.MaxAgeDays != 0 && *next.MinAgeDays >= *next.MaxAgeDays {
			return fmt.Errorf(
				"%w: minimum age %d days, maximum age %d days",
				ErrRules,
				*next.MinAgeDays,
				*next.MaxAgeDays,
			)
		}
		w.m.Passwords = next
		return nil
	})
}

// SetLockout implements [host.Host]. The window must not be longer than the duration.
func (w *Workstation) SetLockout(ctx context.Context, rule unit.LockoutRule) error {
	return w.change(ctx, func() error {
		switch {
		case w.m.Faults.NoLockout:
			return host.ErrUnsupported
		case w.m.Faults.DenyLockout:
			return ErrDenied
		case rule.DurationMinutes != 0 && rule.WindowMinutes > rule.DurationMinutes:
			return fmt.Errorf("%w: window %d min, duration %d min", ErrRules, rule.WindowMinutes, rule.DurationMinutes)
		}
		w.m.Lockout = rule
		return nil
	})
}

func (w *Workstation) group(sid principal.SID) *Group {
	i := slices.IndexFunc(w.m.Groups, func(g Group) bool { return g.SID == sid })
	if i < 0 {
		return nil
	}
	return &w.m.Groups[i]
}

// AddMember implements [host.Host].
func (w *Workstation) AddMember(ctx context.Context, group, member principal.SID) error {
	return w.change(ctx, func() error {
		g := w.group(group)
		switch {
		case g == nil:
			return ErrNoGroup
		case w.account(member) == nil && w.group(member) == nil && !slices.Contains(w.m.Directory, member):
			return host.ErrUnresolved
		case !slices.Contains(g.Members, member):
			g.Members = append(g.Members, member)
		}
		return nil
	})
}

// RemoveMember implements [host.Host].
func (w *Workstation) RemoveMember(ctx context.Context, group, member principal.SID) error {
	return w.change(ctx, func() error {
		g := w.group(group)
		switch {
		case g == nil:
			return ErrNoGroup
		case group == drift.WellKnown(unit.GroupAdministrators) && builtin(member) == "administrator":
			return ErrKeepsOwn
		}
		g.Members = slices.DeleteFunc(g.Members, func(m principal.SID) bool { return m == member })
		return nil
	})
}

func hash(account principal.SID, password string) [32]byte {
	return sha256.Sum256([]byte(account.String() + "\x00" + password))
}

// Machine is a copy of what the workstation keeps.
func (w *Workstation) Machine() Machine {
	w.mu.Lock()
	defer w.mu.Unlock()
	m := w.m
	m.Accounts = slices.Clone(m.Accounts)
	m.Groups = slices.Clone(m.Groups)
	m.Sessions, m.SignIns, m.Notices = slices.Clone(m.Sessions), slices.Clone(m.SignIns), slices.Clone(m.Notices)
	for i := range m.Groups {
		m.Groups[i].Members = slices.Clone(m.Groups[i].Members)
	}
	return m
}
