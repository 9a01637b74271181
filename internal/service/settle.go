package service

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/fleet"
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
	_, err := s.Store.Exclusively(ctx, func(ctx context.Context) error {
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

// planSettlement reads what waits and settles each distinct set of assignments once.
func (s *Service) planSettlement(tx store.Tx, run *settlement) error {
	requests, err := tx.SettleRequests()
	if err != nil || len(requests) == 0 {
		return err
	}
	var groups, ids []string
	for _, r := range requests {
		run.requests = append(run.requests, r.ID)
		run.causes = append(run.causes, r.Cause)
		groups, ids = append(groups, r.Groups...), append(ids, r.Devices...)
	}
	run.causes = sortedSet(run.causes)
	devices, err := tx.LiveDevices(sortedSet(groups), sortedSet(ids))
	if err != nil {
		return err
	}
	assignments, err := tx.Assignments()
	if err != nil {
		return err
	}
	aims := make([]fleet.Assignment, len(assignments))
	named := []string{}
	for i, a := range assignments {
		aims[i] = fleet.Assignment{Name: a.Name, Policy: a.Policy, Include: a.Include, Exclude: a.Exclude, Rank: fleet.Rank(a.Rank)}
		named = append(append(named, a.Include...), a.Exclude...)
	}
	members, err := s.membership(tx, sortedSet(named), devices)
	if err != nil {
		return err
	}
	run.devices = len(devices)
	for _, scope := range fleet.Scopes(len(devices), members, aims) {
		settled, err := s.settleScope(tx, assignments, scope.Assignments)
		if err != nil {
			return err
		}
		for _, i := range scope.Devices {
			settled.devices = append(settled.devices, devices[i].ID)
		}
		run.scopes = append(run.scopes, settled)
	}
	return nil
}

func (s *Service) membership(tx store.Tx, groups []string, devices []store.DeviceName) (fleet.Membership, error) {
	index := make(map[string]int, len(devices))
	for i, d := range devices {
		index[d.NameKey] = i
	}
	names, err := tx.MembersOf(groups)
	members := fleet.Membership{}
	for group, list := range names {
		for _, name := range list {
			if i, there := index[name]; there {
				members[group] = append(members[group], i)
			}
		}
	}
	return members, err
}

// scopeAssignment is what the record of a scope says of each of its assignments.
type scopeAssignment struct {
	Assignment string `json:"assignment"`
	Policy     string `json:"policy"`
	Revision   int    `json:"revision"`
	Rank       int    `json:"rank"`
}

func (s *Service) settleScope(tx store.Tx, assignments []store.Assignment, of []int) (settledScope, error) {
	applying := make([]resolve.Applying, len(of))
	described := make([]scopeAssignment, len(of))
	for i, at := range of {
		a := assignments[at]
		normal, err := s.normalForm(tx, a.PolicyID, a.Revision)
		if err != nil {
			return settledScope{}, err
		}
		applying[i] = resolve.Applying{Name: a.Name, Rank: fleet.Rank(a.Rank), Policy: normal}
		described[i] = scopeAssignment{a.Name, a.Policy, a.Revision, a.Rank}
	}
	settled := settledScope{lane: resolve.Settle(applying)}
	aims, err := json.Marshal(described)
	if err != nil {
		return settled, fmt.Errorf("describing a scope: %w", err)
	}
	lane, err := json.Marshal(settled.lane)
	if err != nil {
		return settled, fmt.Errorf("describing a scope: %w", err)
	}
	settled.record = store.Scope{Digest: wire.Digest(append(aims, lane...)), Assignments: string(aims), Lane: string(lane)}
	return settled, nil
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
	holds := len(scope.lane.Held()) > 0 // then composing depends on what a device was told before
	cache := map[string]composed{}
	var settled []store.Settled
	for _, d := range devices {
		before := ""
		if holds {
			before = d.SettingsDigest
		}
		c, known := cache[before]
		if !known {
			if c, err = compose(tx, scope.lane, before); err != nil {
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

func compose(tx store.Tx, lane resolve.Lane, before string) (composed, error) {
	previous, err := tx.Settings(before)
	if err != nil {
		return composed{}, err
	}
	settings, held := resolve.Compose(lane, previous)
	body, err := json.Marshal(settings)
	if err != nil {
		return composed{}, fmt.Errorf("composing a desired state: %w", err)
	}
	heldJSON, err := json.Marshal(held)
	return composed{string(body), wire.Digest(body), string(heldJSON), len(held)}, err
}
