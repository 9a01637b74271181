package devices

import (
	"context"
	"slices"
	"time"

	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
	"rankwarden.example/internal/wire/protocol"
)

// Because of a device whose key two machines hold.
const becauseCopied = "copied"

// mostLives is how many starts of an agent are remembered.
const mostLives = 16

// ErrCopied refuses both of two machines that hold one key.
var errCopied = refusal.New(refusal.Conflict, "two machines hold the key of this device; each must enrol again").
	WithCode(protocol.CodeNotLive + store.Retired)

// Lives notes that a device was heard from after another start of its agent, at a time by its claim. One that comes
// back after a later one was heard from is another machine with the same key: neither is trusted any more, and the
// key is of no use until each has enrolled again, or an operator returns the device.
func (s *Service) Lives(ctx context.Context, id, life string, at time.Time) error {
	copied := false
	err := s.Do(ctx, uow.ByDevice(id), func(tx Records, w *uow.Work) error {
		d, err := tx.LockDevice(id)
		if err != nil || d.Life == life || d.State != store.Live {
			return err
		}
		w.Tell(store.TopicDevices, d.ID)
		if slices.Contains(d.FormerLives, life) && d.LifeSince != nil && at.After(*d.LifeSince) {
			copied = true
			return s.freeze(tx, w, d)
		}
		former := d.FormerLives
		if d.Life != "" {
			former = append(slices.Clone(former), d.Life)
		}
		return tx.SetLife(d.ID, life, at, former[max(0, len(former)-mostLives):])
	})
	if err == nil && copied {
		err = errCopied
	}
	return err
}

// freeze retires a device whose key two machines hold. Its passwords stay under its name.
func (s *Service) freeze(tx Records, w *uow.Work, d store.Device) error {
	now := w.Now()
	if err := tx.SetDeviceState(d.ID, store.Retired); err != nil {
		return err
	}
	if err := tx.AddRetirement(store.Retirement{DeviceID: d.ID, Because: becauseCopied,
		Note: "two machines checked in with its key in turn", RetiredBy: "the service", At: now,
		PasswordsUntil: now.Add(keptAfter)}); err != nil {
		return err
	}
	w.Also(w.Act().As("device.frozen"), audit.Done, map[string]any{"name": d.Name, "state": d.State},
		map[string]any{"because": becauseCopied})
	return nil
}

// Troubled notes what keeps the agent of a device from its work, empty for nothing any more.
func (s *Service) Troubled(ctx context.Context, id, trouble string) error {
	return s.Do(ctx, uow.ByDevice(id), func(tx Records, w *uow.Work) error {
		w.Tell(store.TopicDevices, id)
		return tx.SetTrouble(id, trouble)
	})
}
