package devices

import (
	"context"
	"errors"
	"time"

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

// keptFor is how long a device keeps a name that it had from others.
const keptFor = 90 * 24 * time.Hour

// nameReported takes the new name of a workstation, which stays the same device in the same groups. A name that
// another device has or keeps, or that a group expects which decides reach or exclusion, is not taken: then the
// device keeps its name here, and that is noted.
func nameReported(tx Records, w *uow.Work, d store.Device, name string) error {
	name = text.NFC(name)
	key := text.Fold(name)
	if name == d.Name {
		if d.NameRefused != "" {
			w.Tell(store.TopicDevices, d.ID)
			return tx.RefuseName(d.ID, "")
		}
		return nil
	}
	if err := text.CheckName(name, fleet.MaxDeviceName); err != nil {
		return refusal.New(refusal.Invalid, "the device's name %v", err).WithCode(protocol.CodeBadReport)
	}
	if key != d.NameKey {
		why, err := nameTaken(tx, d, key)
		if err != nil {
			return err
		}
		if why != "" {
			return refuseName(tx, w, d, name, why)
		}
	}
	if err := tx.RenameDevice(d, name, key, w.Now().Add(keptFor)); err != nil {
		return err
	}
	if err := tx.JoinExpected(d.ID, key); err != nil {
		return err
	}
	if err := devicegroups.Rejoin(tx, w, d.ID); err != nil {
		return err
	}
	w.Settle(d.Name+" renamed to "+name, nil, []string{d.ID})
	w.Also(w.Act().As("device.renamed"), audit.Done, map[string]any{"name": d.Name}, map[string]any{"name": name})
	return nil
}

// nameTaken says why a device cannot have a folded name; empty where it can.
func nameTaken(tx Records, d store.Device, key string) (string, error) {
	for why, find := range map[string]func(string) (store.Device, error){
		"another device has it": tx.LiveDeviceNamed, "another device had it within the last 90 days": tx.NameKeptBy,
	} {
		other, err := find(key)
		switch {
		case err == nil && other.ID != d.ID:
			return why, nil
		case err != nil && !errors.Is(err, store.ErrNotFound):
			return "", err
		}
	}
	group, err := tx.DecidingGroup(key, nil)
	if group != "" {
		return "the group " + group + " expects it, which decides what operators reach or who is left out", err
	}
	return "", err
}

// refuseName notes the name that a device cannot have, once.
func refuseName(tx Records, w *uow.Work, d store.Device, name, why string) error {
	if d.NameRefused == name {
		return nil
	}
	if err := tx.RefuseName(d.ID, name); err != nil {
		return err
	}
	w.Tell(store.TopicDevices, d.ID)
	w.Also(w.Act().As("device.renamed"), audit.Refused, map[string]any{"name": d.Name},
		map[string]any{"name": name, "why": why})
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
