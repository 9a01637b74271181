package service

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire"
)

// settleBatch is the number of devices settled in one transaction.
const settleBatch = 5000

// SettleLoop settles whatever waits until the context ends. Any number of replicas may run it: one
// works at a time, and what a replica did not finish stays in the queue for the next.
func (s *Service) SettleLoop(ctx context.Context) {
	const lookAgain = 5 * time.Second // for what a replica left behind when it died
	waiting := s.Hub.Subscribe(store.TopicSettle)
	defer waiting.Close()
	for {
		if err := s.SettlePending(ctx); err != nil && ctx.Err() == nil {
			s.Log.Error("settling failed; it will be tried again", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-waiting.Ready:
			waiting.Take()
		case <-time.After(lookAgain):
		}
	}
}

// SettlePending settles everything that waits now, unless another replica is at it.
func (s *Service) SettlePending(ctx context.Context) error {
	_, err := s.Store.Exclusively(ctx, store.LockSettle, func(ctx context.Context) error {
		for {
			worked, err := s.settleOnce(ctx)
			if err != nil || !worked {
				return err
			}
		}
	})
	return err
}

// settlement is one run: what was asked for, as of one moment.
type settlement struct {
	requests []int64
	causes   []string
	scopes   []settledScope
	devices  int
	changed  int // devices whose desired state got a new number
	// directory has the people and groups that the scopes name and the directory knows.
	directory map[principal.Ref]principal.Entry
}

// settledScope is what is settled once for all devices that meet the same assignments.
type settledScope struct {
	record  store.Scope
	lane    resolve.Lane
	devices []string
}

func (s *Service) settleOnce(ctx context.Context) (worked bool, err error) {
	var run settlement
	if err := s.Store.InSnapshot(ctx, func(tx store.Tx) error { return s.planSettlement(tx, &run) }); err != nil {
		return false, err
	}
	if len(run.requests) == 0 {
		return false, nil
	}
	start := time.Now()
	for _, scope := range run.scopes {
		for devices := scope.devices; len(devices) > 0; {
			n := min(settleBatch, len(devices))
			batch := devices[:n]
			devices = devices[n:]
			if err := s.InTx(ctx, func(tx store.Tx) error { return s.settleDevices(tx, scope, batch, &run) }); err != nil {
				return false, err
			}
		}
	}
	err = s.InTx(ctx, func(tx store.Tx) error {
		if err := tx.SettleDone(run.requests); err != nil {
			return err
		}
		if err := tx.DropScopes(); err != nil || run.changed == 0 {
			return err
		}
		return s.audit(tx, itself, record{action: "device.resettled", object: "devices",
			after: map[string]any{"causes": run.causes, "devices": run.devices, "new_desired_states": run.changed}})
	})
	s.Log.Info("settled", "causes", run.causes, "devices", run.devices, "scopes", len(run.scopes), "new_desired_states", run.changed, "took", time.Since(start))
	return true, err
}

// composed is what devices with the same scope and the same settings before are to have.
type composed struct {
	body, digest, held string
	heldUnits          int
}

func (s *Service) settleDevices(tx store.Tx, scope settledScope, ids []string, run *settlement) error {
	if err := tx.PutScope(scope.record); err != nil {
		return err
	}
	devices, err := tx.LockForSettling(ids)
	if err != nil {
		return err
	}
	holds := scope.lane.Holds() // then composing depends on what a device was told before
	cache := map[string]composed{}
	var settled []store.Settled
	for _, d := range devices {
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
		next := store.Settled{Device: d.ID, Name: d.Name, Scope: scope.record.Digest, Held: c.held, HeldUnits: c.heldUnits,
			Stamp: drift.Stamp{Epoch: d.DesiredEpoch, Number: d.DesiredNumber, Digest: d.DesiredDigest}, Settings: c.digest}
		if d.DesiredNumber == 0 || d.SettingsDigest != c.digest {
			next.New = true
			next.Stamp.Number++
			document, err := wire.DesiredBytes(d.ID, d.Name, next.Stamp.Epoch, next.Stamp.Number, c.body)
			if err != nil {
				return err
			}
			next.Stamp.Digest = wire.Digest(document)
			run.changed++
		}
		if next.New || d.Scope != next.Scope || d.HeldUnits != c.heldUnits || c.heldUnits > 0 {
			settled = append(settled, next)
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
	return tx.Notify(store.Notice{Topic: store.TopicDevices, IDs: ids})
}

func (run *settlement) compose(tx store.Tx, lane resolve.Lane, before string) (composed, error) {
	previous, err := tx.Asked(before)
	if err != nil {
		return composed{}, err
	}
	settings, held := resolve.Compose(lane, previous.Settings)
	asked := wire.Asked{Settings: settings, Directory: []principal.Entry{}}
	known := principal.NewTable(previous.Directory)
	for _, ref := range namedIn(settings) {
		if entry, ok := run.directory[ref]; ok {
			asked.Directory = append(asked.Directory, principal.Entry{Ref: ref, SID: entry.SID})
		} else if sid, ok := known.SID(ref); ok {
			asked.Directory = append(asked.Directory, principal.Entry{Ref: ref, SID: sid}) // of a held unit
		}
	}
	body, err := json.Marshal(asked)
	if err != nil {
		return composed{}, fmt.Errorf("composing a desired state: %w", err)
	}
	heldJSON, err := json.Marshal(held)
	return composed{string(body), wire.Digest(body), string(heldJSON), len(held)}, err
}
