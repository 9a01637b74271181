package service

import (
	"context"

	"rankwarden.example/core/drift"
	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/fleetview"
	"rankwarden.example/internal/store"
)

// DeviceFilter narrows a list of devices. Empty fields do not.
type DeviceFilter struct {
	Search   string // part of name, serial, model, platform, version, path, primary user or a tag
	Standing drift.Standing
	Group    string
	State    string // live when empty
}

func (s *Service) filter(ctx context.Context, who auth.Identity, f DeviceFilter) (fleetview.Filter, error) {
	return fleetview.Filter{Reach: who.Reach(auth.Look), Search: f.Search, Standing: f.Standing, Group: f.Group, State: f.State}, s.groupExists(ctx, f.Group)
}

// Devices lists a page by name.
func (s *Service) Devices(ctx context.Context, who auth.Identity, f DeviceFilter, p store.Page) ([]store.Device, string, error) {
	filter, err := s.filter(ctx, who, f)
	if err != nil {
		return nil, "", err
	}
	after, err := p.After()
	if err != nil {
		return nil, "", err
	}
	ids := s.View.Page(s.clock(), filter, after.NameKey, after.ID, p.Fits()+1)
	list, err := s.Store.With(ctx).DevicesByID(s.clock(), ids)
	page, next := store.CutDevices(p, list)
	return page, next, err
}

// CountDevices counts devices by standing.
func (s *Service) CountDevices(ctx context.Context, who auth.Identity, f DeviceFilter) (Counts, error) {
	filter, err := s.filter(ctx, who, f)
	if err != nil {
		return nil, err
	}
	return s.View.Count(s.clock(), filter), nil
}

// Device finds one by identifier or name.
func (s *Service) Device(ctx context.Context, who auth.Identity, idOrName string) (store.Device, error) {
	return s.visible(s.Store.With(ctx), who, idOrName)
}

// DecideClaim accepts a device that waits for an owner, or refuses it. One that claims to be a live device
// takes its place: that one is retired, and its organisation facts go over.
func (s *Service) DecideClaim(ctx context.Context, who auth.Identity, id string, accept bool) error {
	action := map[bool]string{true: "device.accepted", false: "device.refused"}[accept]
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
			return failf(Conflict, "the device %s is %s; only one that waits for an owner can be accepted or refused", d.Name, d.State)
		}
		state := store.Refused
		if accept {
			state = store.Live
			if err := s.takeOver(tx, d); err != nil {
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
		return s.audit(tx, who, record{action: action, object: d.ID, after: map[string]any{"name": d.Name, "claims": d.Claims, "listed_in": d.ListedIn}})
	}), "device", id)
}

// takeOver retires the device that another one claims to be, and gives that one its organisation facts.
func (s *Service) takeOver(tx store.Tx, d store.Device) error {
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
	return tx.SetFacts(d.ID, former.Path, former.Tags, former.PrimaryUser)
}

// Retire ends a device's place in the fleet; it is told nothing more, and may not report.
func (s *Service) Retire(ctx context.Context, who auth.Identity, id string) error {
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
