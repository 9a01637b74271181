package service

import (
	"context"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/store"
)

// Devices lists a page.
func (s *Service) Devices(ctx context.Context, f store.DeviceFilter, p store.Page) ([]store.Device, string, error) {
	return s.Store.With(ctx).ListDevices(s.clock(), f, p)
}

// CountDevices counts devices by standing.
func (s *Service) CountDevices(ctx context.Context, f store.DeviceFilter) (map[drift.Standing]int, error) {
	return s.Store.With(ctx).CountDevices(s.clock(), f)
}

// Device finds one by identifier or name.
func (s *Service) Device(ctx context.Context, idOrName string) (store.Device, error) {
	d, err := s.Store.With(ctx).Device(s.clock(), idOrName, text.Fold(idOrName))
	return d, named(err, "device", idOrName)
}

// deviceID is the identifier of a device that a list is narrowed to, empty when none is named.
func (s *Service) deviceID(ctx context.Context, idOrName string) (string, error) {
	if idOrName == "" {
		return "", nil
	}
	d, err := s.Device(ctx, idOrName)
	return d.ID, err
}

// DecideClaim accepts a device that claims to be a live one, which is retired then, or refuses it.
func (s *Service) DecideClaim(ctx context.Context, who auth.Identity, id string, accept bool) error {
	action := map[bool]string{true: "device.accepted", false: "device.refused"}[accept]
	if err := s.allow(ctx, who, auth.Administer, action, id); err != nil {
		return err
	}
	return named(s.InTx(ctx, func(tx store.Tx) error {
		d, err := tx.Device(s.clock(), id, "")
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
			return failf(Conflict, "the device %s is %s; only one that claims to be another can be accepted or refused", d.Name, d.State)
		}
		state := store.Refused
		if accept {
			state = store.Live
			if err := tx.SetDeviceState(*d.Claims, store.Retired); err != nil {
				return err
			}
		}
		if err := tx.SetDeviceState(d.ID, state); err != nil {
			return err
		}
		if accept {
			if err := s.joinFleet(tx, d, nil); err != nil {
				return err
			}
		}
		if err := tx.Notify(store.Notice{Topic: store.TopicDevices, IDs: changed}); err != nil {
			return err
		}
		return s.audit(tx, who, record{action: action, object: d.ID, after: map[string]any{"name": d.Name, "claims": d.Claims}})
	}), "device", id)
}

// Retire ends a device's place in the fleet; it is told nothing more, and may not report.
func (s *Service) Retire(ctx context.Context, who auth.Identity, id string) error {
	if err := s.allow(ctx, who, auth.Administer, "device.retired", id); err != nil {
		return err
	}
	return named(s.InTx(ctx, func(tx store.Tx) error {
		d, err := tx.LockDevice(id)
		if err != nil {
			return err
		}
		if d.State == store.Retired {
			return failf(Conflict, "the device %s is retired already", d.Name)
		}
		if err := tx.SetDeviceState(d.ID, store.Retired); err != nil {
			return err
		}
		if err := tx.Notify(store.Notice{Topic: store.TopicDevices, IDs: []string{d.ID}}); err != nil {
			return err
		}
		return s.audit(tx, who, record{action: "device.retired", object: d.ID, before: map[string]any{"name": d.Name, "state": d.State}})
	}), "device", id)
}
