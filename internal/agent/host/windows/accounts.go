package windows

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"maps"
	"strings"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host"
)

// builtins are the accounts that every machine has, by the last part of their identifiers; their names differ.
var builtins = map[uint32]string{500: "administrator", 501: "guest"}

// accounts reads the local accounts, and remembers when passwords were set.
func (h *Host) accounts(lockout unit.LockoutRule) ([]drift.Account, error) {
	users, err := h.system.Users()
	if err != nil {
		return nil, fmt.Errorf("reading accounts: %w", err)
	}
	now, news := h.now(), false
	there := map[principal.SID]bool{}
	var list []drift.Account
	for _, u := range users {
		a := drift.Account{Name: u.Name, SID: h.sid(u.RID), Builtin: builtins[u.RID], Details: u.details(now),
			Locked:  u.Flags&FlagLocked != 0,
			Enabled: u.Flags&FlagDisabled == 0 && (u.Expires == Forever || int64(u.Expires) > now.Unix())}
		set, isNew := h.kept.seen(a.SID, u, now)
		a.PasswordSetAt, a.PasswordStamp = set.At, set.stamp()
		if a.Locked {
			if a.LockedUntil, err = h.lockedUntil(a.SID, lockout); err != nil {
				return nil, err
			}
		}
		there[a.SID], news = true, news || isNew
		list = append(list, a)
	}
	before := len(h.kept.Passwords)
	maps.DeleteFunc(h.kept.Passwords, func(sid principal.SID, _ passwordSet) bool { return !there[sid] })
	if news || len(h.kept.Passwords) != before {
		err = h.kept.write(h.path)
	}
	return list, err
}

// on does something with the account that an identifier names.
func (h *Host) on(ctx context.Context, account principal.SID, do func(u User) error) error {
	return h.change(ctx, func() error {
		users, err := h.system.Users()
		if err != nil {
			return fmt.Errorf("reading accounts: %w", err)
		}
		for _, u := range users {
			if h.sid(u.RID) == account {
				return do(u)
			}
		}
		return UserNotFound
	})
}

// named gives what the system says of a name as [host.ErrName].
func named(name string, err error) error {
	for _, refusal := range []Code{BadUsername, InvalidAccountName, UserExists, AliasUserExists, GroupExists,
		AliasExists} {
		if errors.Is(err, refusal) {
			return fmt.Errorf("%w: %s: %w", host.ErrName, name, err)
		}
	}
	return err
}

// checkName refuses what the system would cut short or take for something else.
func checkName(name string) error {
	if err := text.CheckName(name, text.MaxAccountName); err != nil {
		return fmt.Errorf("%w: the name %w", host.ErrName, err)
	}
	return nil
}

// drawn is a password that nobody ever learns, of every class of characters.
func drawn() string { return "aA1-" + rand.Text() }

// CreateAccount implements [host.Host]. The account has a password that nobody knows, since the rules may refuse an
// empty one; it is one of the machine's users, as one that the system's own tools make.
func (h *Host) CreateAccount(ctx context.Context, name string) (sid principal.SID, err error) {
	err = h.change(ctx, func() error {
		sid, err = h.create(name)
		return err
	})
	return sid, err
}

// usersGroup is that of all who may sign in at the machine.
const usersGroup = "users"

// newUser are the flags of a new account.
const newUser = FlagScript | FlagNormal | FlagDisabled

func (h *Host) create(name string) (sid principal.SID, err error) {
	if err := checkName(name); err != nil {
		return sid, err
	}
	if err := h.system.AddUser(name, drawn(), newUser); err != nil {
		return sid, named(name, err)
	}
	if sid, err = h.system.SIDOf(h.machine.Name + `\` + name); err == nil {
		err = h.addMember(drift.WellKnown(usersGroup), sid)
	}
	if err != nil {
		err = errors.Join(err, h.system.DeleteUser(name))
	}
	return sid, err
}

// DeleteAccount implements [host.Host].
func (h *Host) DeleteAccount(ctx context.Context, account principal.SID) error {
	return h.on(ctx, account, func(u User) error {
		if builtins[u.RID] != "" {
			return SpecialAccount
		}
		if err := h.endSessions(ctx, u); err != nil {
			return err
		}
		groups, err := h.groups()
		if err != nil {
			return err
		}
		for _, g := range groups {
			for _, m := range g.Members {
				if m.SID == account {
					if err := h.removeMember(g.SID, account); err != nil {
						return err
					}
				}
			}
		}
		return h.system.DeleteUser(u.Name)
	})
}

// RenameAccount implements [host.Host].
func (h *Host) RenameAccount(ctx context.Context, account principal.SID, name string) error {
	return h.on(ctx, account, func(u User) error {
		if u.Name == name {
			return nil
		}
		if err := checkName(name); err != nil {
			return err
		}
		return named(name, h.system.RenameUser(u.Name, name))
	})
}

// EnableAccount implements [host.Host]. An account whose time is over gets time without an end.
func (h *Host) EnableAccount(ctx context.Context, account principal.SID, enabled bool) error {
	return h.on(ctx, account, func(u User) error {
		if enabled && u.Expires != Forever && int64(u.Expires) <= h.now().Unix() {
			if err := h.system.SetUserExpires(u.Name, Forever); err != nil {
				return err
			}
		}
		return h.flag(u, FlagDisabled, !enabled)
	})
}

// flag sets or takes one flag, and leaves the others.
func (h *Host) flag(u User, flag uint32, set bool) error { return h.flags(u, with(u.Flags, flag, set)) }

// with are flags of which one is set or taken.
func with(flags, flag uint32, set bool) uint32 {
	if set {
		return flags | flag
	}
	return flags &^ flag
}

// flags sets all flags of an account.
func (h *Host) flags(u User, next uint32) error {
	if next == u.Flags {
		return nil
	}
	return h.system.SetUserFlags(u.Name, next)
}

// Unlock implements [host.Host].
func (h *Host) Unlock(ctx context.Context, account principal.SID) error {
	return h.on(ctx, account, func(u User) error { return h.flag(u, FlagLocked, false) })
}

// is reports whether a session is one of an account.
func (h *Host) is(s Session, u User) bool {
	return strings.EqualFold(s.Domain, h.machine.Name) && strings.EqualFold(s.User, u.Name)
}
