package simulated

import (
	"context"
	"fmt"
	"slices"
	"unicode"
	"unicode/utf8"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/rotation"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host"
)

// create makes a disabled account without a password that opens it.
func (w *Workstation) create(name string) principal.SID {
	sid := principal.MustSID(fmt.Sprintf("%s-%d", w.m.Domain, w.m.NextID))
	w.m.NextID++
	w.m.Accounts = append(w.m.Accounts, Account{Name: name, SID: sid, SetAt: w.Now()})
	return sid
}

// checkNameFree says whether an account may have the name.
func (w *Workstation) checkNameFree(name string) error {
	if err := text.CheckName(name, text.MaxAccountName); err != nil {
		return fmt.Errorf("%w: the name %w", host.ErrName, err)
	}
	group := slices.ContainsFunc(w.m.Groups, func(g Group) bool { return text.Fold(g.Name) == text.Fold(name) })
	if group || w.named(name) != nil {
		return fmt.Errorf("%w: %s", ErrTaken, name)
	}
	return nil
}

// CreateAccount implements [host.Host].
func (w *Workstation) CreateAccount(ctx context.Context, name string) (sid principal.SID, err error) {
	err = w.change(ctx, func() error {
		if err := w.checkNameFree(name); err != nil {
			return err
		}
		sid = w.create(name)
		return nil
	})
	return sid, err
}

// DeleteAccount implements [host.Host].
func (w *Workstation) DeleteAccount(ctx context.Context, account principal.SID) error {
	return w.change(ctx, func() error {
		switch {
		case w.account(account) == nil:
			return ErrNoAccount
		case builtin(account) != "":
			return ErrBuiltin
		}
		for i := range w.m.Groups {
			w.m.Groups[i].Members = slices.DeleteFunc(
				w.m.Groups[i].Members,
				func(m principal.SID) bool { return m == account },
			)
		}
		w.m.Accounts = slices.DeleteFunc(w.m.Accounts, func(x Account) bool { return x.SID == account })
		w.m.Sessions = slices.DeleteFunc(w.m.Sessions, func(s principal.SID) bool { return s == account })
		return nil
	})
}

// RenameAccount implements [host.Host].
func (w *Workstation) RenameAccount(ctx context.Context, account principal.SID, name string) error {
	return w.change(ctx, func() error {
		a := w.account(account)
		switch {
		case a == nil:
			return ErrNoAccount
		case builtin(account) != "" && (w.m.Faults.KeepsNames || w.m.Facts.Platform == host.PlatformLinux):
			return host.ErrUnsupported
		case text.Fold(a.Name) != text.Fold(name):
			if err := w.checkNameFree(name); err != nil {
				return err
			}
		}
		a.Name = name
		return nil
	})
}

// EnableAccount implements [host.Host].
func (w *Workstation) EnableAccount(ctx context.Context, account principal.SID, enabled bool) error {
	return w.change(ctx, func() error {
		a := w.account(account)
		if a == nil {
			return ErrNoAccount
		}
		a.Enabled = enabled
		return nil
	})
}

// DescribeAccount implements [host.Host].
func (w *Workstation) DescribeAccount(ctx context.Context, account principal.SID, details unit.Details) error {
	return w.change(ctx, func() error {
		a := w.account(account)
		if a == nil {
			return ErrNoAccount
		}
		a.Details = details
		return nil
	})
}

// Unlock implements [host.Host].
func (w *Workstation) Unlock(ctx context.Context, account principal.SID) error {
	return w.change(ctx, func() error {
		a := w.account(account)
		if a == nil {
			return ErrNoAccount
		}
		a.LockedAt, a.Wrong = nil, 0
		return nil
	})
}

// RequireChange implements [host.Host].
func (w *Workstation) RequireChange(ctx context.Context, account principal.SID) error {
	return w.change(ctx, func() error {
		a := w.account(account)
		if a == nil {
			return ErrNoAccount
		}
		a.MustChange = true
		return nil
	})
}

// EndSessions implements [host.Host].
func (w *Workstation) EndSessions(ctx context.Context, account principal.SID) error {
	return w.change(ctx, func() error {
		w.m.Sessions = slices.DeleteFunc(w.m.Sessions, func(s principal.SID) bool { return s == account })
		return nil
	})
}

// SetPassword implements [host.Host].
func (w *Workstation) SetPassword(ctx context.Context, account principal.SID, password string) error {
	return w.change(ctx, func() error { return w.setPassword(account, password) })
}

func (w *Workstation) setPassword(account principal.SID, password string) error {
	a := w.account(account)
	if a == nil {
		return ErrNoAccount
	}
	rules, next := w.m.Passwords, hash(a.SID, password)
	switch {
	case utf8.RuneCountInString(password) < *rules.MinLength:
		return fmt.Errorf("%w: it has fewer than %d characters", ErrPassword, *rules.MinLength)
	case *rules.Complexity && kinds(password) < 3:
		return fmt.Errorf("%w: it has fewer than three classes of characters", ErrPassword)
	case *rules.Complexity && rotation.HoldsName(password, a.Name, a.FullName):
		return fmt.Errorf("%w: it holds the name of its account", ErrPassword)
	case slices.Contains(append([][32]byte{a.Password}, a.Former...), next) && *rules.History > 0:
		return fmt.Errorf("%w: it was used before", ErrPassword)
	}
	a.Former = append([][32]byte{a.Password}, a.Former...)
	a.Former = a.Former[:min(len(a.Former), *rules.History)]
	a.Password, a.SetAt, a.MustChange = next, w.Now(), false
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
