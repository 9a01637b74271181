package fleetsim

import (
	"context"
	"log/slog"
	"time"

	"rankwarden.example/core/policy"
)

// Incident is something that happens on a device again and again.
type Incident struct {
	Device string
	What   string // for the log
	After  time.Duration
	Every  time.Duration // 0 for once
	Do     func(ctx context.Context, d *Device) error
}

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
		} else {
			log.Debug("incident", "device", d.Name, "what", i.What)
		}
		if wait = i.Every; wait == 0 {
			return
		}
	}
}

// AddsHimself lets a local person join administrators.
func AddsHimself(person string) func(context.Context, *Device) error {
	return func(_ context.Context, d *Device) error {
		d.Machine.AddAccount(person)
		return d.Machine.Join(policy.Administrators, person)
	}
}

// WeakensLockout sets a lockout that locks late and briefly.
func WeakensLockout(ctx context.Context, d *Device) error {
	return d.Machine.SetLockout(ctx, policy.LockoutRule{Threshold: 50, DurationMinutes: 1, WindowMinutes: 1})
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
