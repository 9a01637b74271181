package devices

import (
	"context"
	"errors"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
	"rankwarden.example/internal/wire/protocol"
)

// Holds notes that a device holds a desired state that the service never gave it, once it is certain: what
// a replica knows of a device may be behind.
func (s *Service) Holds(ctx context.Context, id string, holds drift.Stamp) error {
	return s.Do(ctx, uow.ByDevice(id), func(tx Records, w *uow.Work) error {
		d, err := tx.LockDevice(id)
		if err != nil || d.Mismatched || !holds.Foreign(d.Desired()) {
			return err
		}
		if err := tx.SetMismatched(d.ID); err != nil {
			return err
		}
		w.Tell(store.TopicDevices, d.ID)
		return nil
	})
}

// nameReported takes the new name of a workstation, which stays the same device. A name that another device
// has, or that a group lists which decides reach or exclusion, is not taken: then the device keeps its name here.
func nameReported(tx Records, w *uow.Work, d store.Device, name string) error {
	name = text.NFC(name)
	key := text.Fold(name)
	if name == d.Name {
		return nil
	}
	if err := text.CheckName(name, fleet.MaxDeviceName); err != nil {
		return refusal.New(refusal.Invalid, "the device's name %v", err).WithCode(protocol.CodeBadReport)
	}
	if key != d.NameKey {
		if _, err := tx.LiveDeviceNamed(key); !errors.Is(err, store.ErrNotFound) {
			return err // nil when there is one
		}
		if group, err := tx.DecidingGroup(key, nil); err != nil || group != "" {
			return err
		}
	}
	if err := tx.RenameDevice(d.ID, name, key); err != nil {
		return err
	}
	if err := devicegroups.Rejoin(tx, w, d.ID); err != nil {
		return err
	}
	w.Settle(d.Name+" renamed to "+name, nil, []string{d.ID})
	w.Also(w.Act().As("device.renamed"), audit.Done, map[string]any{"name": d.Name}, map[string]any{"name": name})
	return nil
}

// otherFacts reports whether a device reports other facts of itself than are known.
func otherFacts(d store.Device, state drift.State) bool {
	return d.Platform != state.Platform || d.OSVersion != state.OSVersion || d.OSBuild != state.OSBuild ||
		d.AgentVersion != state.Agent
}

// deviceFactsReported works out the groups of a device again when it reports other facts of itself.
func deviceFactsReported(tx Records, w *uow.Work, d store.Device, state drift.State) error {
	if !otherFacts(d, state) {
		return nil
	}
	for _, fact := range []string{state.Platform, state.OSVersion, state.Agent} {
		if err := text.CheckVisible(fact); err != nil || len(fact) > maxFact {
			return refusal.New(refusal.Invalid, "a fact of the device (%q) is longer than %d bytes or cannot be read",
				fact, maxFact).
				WithCode(protocol.CodeBadReport)
		}
	}
	if err := tx.SetDeviceFacts(d.ID, state.Platform, state.OSVersion, state.OSBuild, state.Agent); err != nil {
		return err
	}
	return devicegroups.FactsChanged(tx, w, "facts of "+d.Name+" changed", []string{d.ID})
}
