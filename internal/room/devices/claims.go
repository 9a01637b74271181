package devices

import (
	"context"
	"time"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// DecideClaim accepts a device that waits for an owner, or refuses it. One that claims to be a live device
// takes its place: that one is retired, and its listed groups and organisation facts go over.
func (s *Service) DecideClaim(ctx context.Context, who rights.Identity, id string, accept bool) error {
	op := map[bool]*operation.Operation{true: operation.AcceptDevice, false: operation.RefuseDevice}[accept]
	return refusal.Named(
		s.Do(ctx, uow.ByOperator(op, who, id), func(tx Records, w *uow.Work) error {
			d, err := tx.Device(s.Clock(), id, "")
			if err != nil {
				return err
			}
			changed := []string{d.ID}
			if d.Claims != nil {
				changed = append(changed, *d.Claims)
			}
			if err := tx.LockDevices(changed); err != nil {
				return err
			}
			if d, err = tx.LockDevice(d.ID); err != nil {
				return err
			}
			if d.State != store.Claiming {
				return refusal.New(
					refusal.Conflict,
					"the device %s is %s; only one that waits for an owner can be accepted or refused",
					d.Name,
					d.State,
				)
			}
			state := store.Refused
			if accept {
				state = store.Live
				if err := takeOver(tx, d, who, s.Now()); err != nil {
					return err
				}
			}
			if err := tx.SetDeviceState(d.ID, state); err != nil {
				return err
			}
			if accept {
				if err := joinFleet(tx, w, d); err != nil {
					return err
				}
			}
			w.Tell(store.TopicDevices, changed...)
			w.After = map[string]any{"name": d.Name, "claims": d.Claims, "listed_in": d.ListedIn}
			return nil
		}),
		"device",
		id,
	)
}

// takeOver retires the device that another one claims to be, and gives that one its groups and organisation facts.
func takeOver(tx Records, d store.Device, by rights.Identity, now time.Time) error {
	if d.Claims == nil {
		return nil
	}
	former, err := tx.LockDevice(*d.Claims)
	if err != nil {
		return err
	}
	if err := tx.SetDeviceState(former.ID, store.Retired); err != nil {
		return err
	}
	if err := tx.AddRetirement(store.Retirement{DeviceID: former.ID, Because: "reinstalled", RetiredBy: by.Name,
		Note: "enrolled again with a new key", At: now, PasswordsUntil: now.Add(keptAfter)}); err != nil {
		return err
	}
	if err := tx.TakeGroups(d.ID, former.ID); err != nil {
		return err
	}
	return tx.TakeFacts(d.ID, former.ID)
}
