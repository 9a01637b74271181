package devices

import (
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

// How long the passwords of a retired device are kept: usually, and at most.
const (
	keptAfter     = 180 * 24 * time.Hour
	mostKeptAfter = 5 * 366 * 24 * time.Hour
)

// reasons are why a device can be retired.
var reasons = []string{"lost", "sold", "reinstalled", "repair"}

// Retirement says why a device is retired, and until when its passwords are kept; the zero time is the usual one.
type Retirement struct {
	Because string
	Note    string
	Until   time.Time
}

// Retire ends a device's place in the fleet; it is told nothing more, and may not report. Its passwords stay under its
// name until a day.
func (s *Service) Retire(ctx context.Context, who rights.Identity, id string, why Retirement) error {
	now := s.Now()
	if why.Until.IsZero() {
		why.Until = now.Add(keptAfter)
	}
	switch {
	case !slices.Contains(reasons, why.Because):
		return refusal.New(refusal.Invalid, "say why it is retired: %s", strings.Join(reasons, ", ")).At("because")
	case why.Until.Before(now), why.Until.After(now.Add(mostKeptAfter)):
		return refusal.New(refusal.Invalid, "passwords are kept until a day from now to five years on").
			At("passwords_until")
	}
	return refusal.Named(
		s.Do(ctx, uow.ByOperator(operation.RetireDevice, who, id), func(tx Records, w *uow.Work) error {
			d, err := tx.LockDevice(id)
			if err != nil {
				return err
			}
			if d.State == store.Retired {
				return refusal.New(refusal.Conflict, "the device %s is retired already", d.Name)
			}
			if err := tx.SetDeviceState(d.ID, store.Retired); err != nil {
				return err
			}
			if err := tx.AddRetirement(store.Retirement{DeviceID: d.ID, Because: why.Because, Note: why.Note,
				RetiredBy: who.Name, At: now, PasswordsUntil: why.Until}); err != nil {
				return err
			}
			w.Tell(store.TopicDevices, d.ID)
			w.Before = map[string]any{"name": d.Name, "state": d.State}
			w.After = map[string]any{"because": why.Because, "note": why.Note, "passwords_until": why.Until}
			return nil
		}),
		"device",
		id,
	)
}

// Return takes a retired device back, with its key and its passwords. Whoever had it may know these: each is changed as
// soon as it checks in.
func (s *Service) Return(ctx context.Context, who rights.Identity, id string) error {
	return refusal.Named(
		s.Do(ctx, uow.ByOperator(operation.ReturnDevice, who, id), func(tx Records, w *uow.Work) error {
			d, err := tx.LockDevice(id)
			if err != nil {
				return err
			}
			if d.State != store.Retired {
				return refusal.New(refusal.Conflict, "the device %s is not retired", d.Name)
			}
			switch other, err := tx.LiveDeviceNamed(d.NameKey); {
			case err == nil:
				return refusal.New(refusal.Conflict, "another device is called %s now (%s); that one must go first",
					d.Name, other.ID)
			case !errors.Is(err, store.ErrNotFound):
				return err
			}
			if err := tx.SetDeviceState(d.ID, store.Live); err != nil {
				return err
			}
			if err := tx.DropRetirement(d.ID); err != nil {
				return err
			}
			if err := tx.SetLife(d.ID, "", s.Now(), nil); err != nil { // whoever checks in next is the device
				return err
			}
			if err := joinFleet(tx, w, d); err != nil {
				return err
			}
			if _, err := tx.AddOrders([]string{d.ID}, store.Order{Kind: protocol.OrderRotate, CreatedBy: who.Name,
				CreatedAt: s.Now(), Batch: store.NewID(s.Now())}); err != nil {
				return err
			}
			w.Tell(store.TopicDevices, d.ID)
			w.After = map[string]any{"name": d.Name}
			return nil
		}),
		"device",
		id,
	)
}

// Retirements are why devices were retired, by identifier.
func (s *Service) Retirements(ctx context.Context, ids ...string) (map[string]store.Retirement, error) {
	list, err := s.Read(ctx).Retirements(ids)
	by := map[string]store.Retirement{}
	for _, r := range list {
		by[r.DeviceID] = r
	}
	return by, err
}

// SignSheet signs a document that people take away, with the key by which everything of the service is known.
func (s *Service) SignSheet(sheet any) (string, error) {
	key := s.Keys.Signing()
	return protocol.Sign(key, protocol.Header{KeyID: key.ID, Time: s.Now()}, sheet, false)
}
