package deploy

import (
	"encoding/json"
	"fmt"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/protocol"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/uow"
)

// composition is what devices with the same scope and the same settings before are to have.
type composition struct {
	body, digest, held string
	heldUnits          int
}

func (s *Service) settleDevices(tx Records, w *uow.Work, scope settledScope, ids []string, run *settlement) error {
	if err := tx.PutScope(scope.record); err != nil {
		return err
	}
	devices, err := tx.LockForSettling(ids)
	if err != nil {
		return err
	}
	holds := scope.lane.Holds() // then composing depends on what a device was told before
	cache := map[string]composition{}
	var settled []store.SettlingResult
	stamps := make([]drift.Stamp, len(devices))
	for i, d := range devices {
		before := ""
		if holds {
			before = d.SettingsDigest
		}
		c, known := cache[before]
		if !known {
			if c, err = run.compose(tx, scope.lane, before); err != nil {
				return err
			}
			cache[before] = c
			if err := tx.PutSettings(c.digest, c.body); err != nil {
				return err
			}
		}
		next := store.SettlingResult{
			Device:    d.ID,
			Name:      d.Name,
			Scope:     scope.record.Digest,
			Held:      c.held,
			HeldUnits: c.heldUnits,
			Stamp: drift.Stamp{
				Epoch:  d.DesiredEpoch,
				Number: d.DesiredNumber,
				Digest: d.DesiredDigest,
			},
			Settings: c.digest,
		}
		if d.DesiredNumber == 0 || d.SettingsDigest != c.digest {
			next.New = true
			next.Stamp.Number++
			document, err := protocol.DesiredBytes(d.ID, d.Name, next.Stamp.Epoch, next.Stamp.Number, c.body)
			if err != nil {
				return err
			}
			next.Stamp.Digest = protocol.Digest(document)
			run.changed++
		}
		stamps[i] = next.Stamp
		if next.New || d.Scope != next.Scope || d.HeldUnits != c.heldUnits || c.heldUnits > 0 {
			settled = append(settled, next)
		}
	}
	if len(scope.rollouts) > 0 {
		told := make([]string, len(devices))
		for i, d := range devices {
			told[i] = d.ID
		}
		if err := tx.ToldWith(scope.rollouts, told, stamps); err != nil {
			return err
		}
	}
	if len(settled) == 0 {
		return nil
	}
	if err := tx.SetSettled(settled, s.Now()); err != nil {
		return err
	}
	ids = ids[:0:0]
	for _, next := range settled {
		ids = append(ids, next.Device)
	}
	w.Tell(store.TopicDevices, ids...)
	return nil
}

func (run *settlement) compose(tx Records, lane resolve.Lane, before string) (composition, error) {
	previous, err := tx.Asked(before)
	if err != nil {
		return composition{}, err
	}
	settings, held := resolve.Compose(lane, previous.Settings)
	asked := protocol.DesiredContent{Settings: settings, Directory: []principal.Entry{}}
	known := principal.NewTable(previous.Directory)
	for _, ref := range unit.Named(settings) {
		if entry, ok := run.directory[ref]; ok {
			asked.Directory = append(asked.Directory, principal.Entry{Ref: ref, SID: entry.SID})
		} else if sid, ok := known.SID(ref); ok {
			asked.Directory = append(asked.Directory, principal.Entry{Ref: ref, SID: sid}) // of a held unit
		}
	}
	body, err := json.Marshal(asked)
	if err != nil {
		return composition{}, fmt.Errorf("composing a desired state: %w", err)
	}
	heldJSON, err := json.Marshal(held)
	return composition{string(body), protocol.Digest(body), string(heldJSON), len(held)}, err
}
