package fleetsim

import (
	"context"
	"errors"
	"log/slog"
	"strings"
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host/simulated"
)

// Incident is something that happens on a device again and again.
type Incident struct {
	Device string
	What   string // for the log
	After  time.Duration
	Every  time.Duration // 0 for once
	Do     func(ctx context.Context, d *Device) error
}

// again is after which time an incident is tried again that could not happen.
const again = 10 * time.Second

func (i Incident) run(ctx context.Context, clock interface {
	After(d time.Duration) <-chan time.Time
}, d *Device, log *slog.Logger) {
	wait := i.After
	for {
		select {
		case <-ctx.Done():
			return
		case <-clock.After(wait):
		}
		if err := i.Do(ctx, d); err != nil {
			log.Debug("an incident did not happen", "device", d.Name, "what", i.What, "error", err)
			wait = again // the account, or the policy, may not be there yet
			continue
		}
		log.Debug("incident", "device", d.Name, "what", i.What)
		if wait = i.Every; wait == 0 {
			return
		}
	}
}

// AddsHimself lets a local person join administrators.
func AddsHimself(person string) func(context.Context, *Device) error {
	return func(_ context.Context, d *Device) error {
		d.Machine.AddAccount(person)
		return d.Machine.Join(unit.GroupAdministrators, person)
	}
}

// WeakensLockout sets a lockout that locks late and briefly.
func WeakensLockout(ctx context.Context, d *Device) error {
	return d.Machine.SetLockout(ctx, unit.LockoutRule{Threshold: 50, DurationMinutes: 1, WindowMinutes: 1})
}

// errEnabled says that the policy has not been there yet: nobody enables what is enabled.
var errEnabled = errors.New("the built-in administrator is enabled already")

// EnablesBuiltin enables the built-in administrator, whatever it is called.
func EnablesBuiltin(ctx context.Context, d *Device) error {
	for _, a := range d.Machine.Machine().Accounts {
		switch {
		case a.SID.RelativeID() != 500:
		case a.Enabled:
			return errEnabled
		default:
			return d.Machine.EnableAccount(ctx, a.SID, true)
		}
	}
	return simulated.ErrNoAccount
}

// managed is the account whose name begins so, as a person at the keyboard would look for it.
func managed(d *Device, prefix string) principal.SID {
	for _, a := range d.Machine.Machine().Accounts {
		if strings.HasPrefix(a.Name, prefix) {
			return a.SID
		}
	}
	return principal.SID{}
}

// DeletesManaged deletes the account whose name begins so.
func DeletesManaged(prefix string) func(context.Context, *Device) error {
	return func(ctx context.Context, d *Device) error { return d.Machine.DeleteAccount(ctx, managed(d, prefix)) }
}

// RenamesManaged renames the account whose name begins so.
func RenamesManaged(prefix, name string) func(context.Context, *Device) error {
	return func(ctx context.Context, d *Device) error {
		return d.Machine.RenameAccount(ctx, managed(d, prefix), name)
	}
}

// OutOfRange cuts the link for a time.
func OutOfRange(clock interface {
	After(d time.Duration) <-chan time.Time
}, lasts time.Duration) func(context.Context, *Device) error {
	return func(ctx context.Context, d *Device) error {
		d.Link.SetDown(true)
		defer d.Link.SetDown(false)
		select {
		case <-ctx.Done():
		case <-clock.After(lasts):
		}
		return nil
	}
}

// Mistypes tries wrong passwords for an account.
func Mistypes(account string, times int) func(context.Context, *Device) error {
	return func(_ context.Context, d *Device) error {
		for range times {
			_ = d.Machine.SignIn(account, "not the password") // refused, and counted
		}
		return nil
	}
}
