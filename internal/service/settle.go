package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire"
)

// batchOfDevices is the number of devices settled in one transaction.
const batchOfDevices = 5000

// SettleLoop settles whatever waits until the context ends. Any number of replicas may run it: one
// works at a time, and what a replica did not finish stays in the queue for the next.
func (s *Service) SettleLoop(ctx context.Context) {
	const lookAgain = 5 * time.Second // for what a replica left behind when it died, and what failed
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
	failed    []failedScope
}

// settledScope is what is settled once for all devices that meet the same assignments.
type settledScope struct {
	record  store.Scope
	lane    resolve.Lane
	devices []string
}

// failedScope is devices that could not be settled, and why.
type failedScope struct {
	devices []string
	why     error
}

// settleTimeout is how long reading or one batch may take.
const settleTimeout = 2 * time.Minute

func (s *Service) settleOnce(ctx context.Context) (worked bool, err error) {
	requests, err := s.settleable(ctx)
	if err != nil || len(requests) == 0 {
		return false, err
	}
	err = s.settle(ctx, requests)
	if !isPoison(err) {
		return true, err
	}
	if len(requests) == 1 {
		return true, s.settleLater(ctx, requests[0], err)
	}
	// One request spoils the run: each is settled by itself, and the one that fails waits.
	for _, r := range requests {
		err := s.settle(ctx, []store.SettleRequest{r})
		if isPoison(err) {
			err = s.settleLater(ctx, r, err)
		}
		if err != nil {
			return true, err
		}
	}
	return true, nil
}

// settleable are the requests whose time has come.
func (s *Service) settleable(ctx context.Context) ([]store.SettleRequest, error) {
	all, err := s.Store.With(ctx).SettleRequests()
	now := s.Now()
	return slices.DeleteFunc(all, func(r store.SettleRequest) bool { return r.NextAt.After(now) }), err
}

// isPoison reports whether an error lies in what is settled, and not in the database or in this replica.
func isPoison(err error) bool {
	return err != nil && !errors.Is(err, context.Canceled) && !errors.Is(err, context.DeadlineExceeded) && !errors.Is(err, store.ErrFenced) && !store.IsUnavailable(err)
}

// settleLater has a request that failed tried again, later each time.
func (s *Service) settleLater(ctx context.Context, r store.SettleRequest, why error) error {
	s.Log.Error("a request to settle failed; it is tried again and holds up no other", "cause", r.Cause, "attempts", r.Attempts+1, "error", why)
	return s.InTx(ctx, func(tx store.Tx) error {
		return tx.SettleFailed([]int64{r.ID}, why.Error(), s.Now().Add(settleBackoff(r.Attempts)))
	})
}

func settleBackoff(attempts int) time.Duration {
	return min(time.Second<<min(attempts, 20), 10*time.Minute)
}

// settle carries out requests.
func (s *Service) settle(ctx context.Context, requests []store.SettleRequest) error {
	var run settlement
	reading, cancel := context.WithTimeout(ctx, settleTimeout)
	defer cancel()
	if err := s.Store.InSnapshot(reading, func(tx store.Tx) error { return s.planSettlement(tx, requests, &run) }); err != nil {
		return err
	}
	start := time.Now()
	for _, scope := range run.scopes {
		for devices := scope.devices; len(devices) > 0; {
			n := min(batchOfDevices, len(devices))
			batch := devices[:n]
			devices = devices[n:]
			err := s.settleBatch(ctx, scope, batch, &run)
			if isPoison(err) {
				run.failed = append(run.failed, failedScope{batch, err})
				err = nil
			}
			if err != nil {
				return err
			}
		}
	}
	err := s.InTx(ctx, func(tx store.Tx) error { return s.finish(tx, requests, &run) })
	s.Log.Info("settled", "causes", run.causes, "devices", run.devices, "scopes", len(run.scopes), "new_desired_states", run.changed, "failed", len(run.failed), "took", time.Since(start))
	return err
}

func (s *Service) settleBatch(ctx context.Context, scope settledScope, batch []string, run *settlement) error {
	ctx, cancel := context.WithTimeout(ctx, settleTimeout)
	defer cancel()
	changed := run.changed
	err := s.InTx(ctx, func(tx store.Tx) error { return s.settleDevices(tx, scope, batch, run) })
	if err != nil {
		run.changed = changed // nothing of it was stored
	}
	return err
}

// finish takes the requests out of the queue. Devices that failed are put into one of their own.
func (s *Service) finish(tx store.Tx, requests []store.SettleRequest, run *settlement) error {
	attempts := 0
	for _, r := range requests {
		attempts = max(attempts, r.Attempts)
	}
	for _, f := range run.failed {
		s.Log.Error("devices could not be settled; it is tried again and holds up no other", "causes", run.causes, "devices", len(f.devices), "error", f.why)
		if err := tx.RequestSettleAgain(store.SettleRequest{Cause: strings.Join(run.causes, ", "), Groups: []string{}, Devices: f.devices, CreatedAt: s.Now(),
			Attempts: attempts + 1, Error: f.why.Error(), NextAt: s.Now().Add(settleBackoff(attempts))}); err != nil {
			return err
		}
	}
	if err := tx.SettleDone(run.requests); err != nil || run.changed == 0 {
		return err
	}
	return s.audit(tx, itself, record{action: "device.resettled", object: "devices",
		after: map[string]any{"causes": run.causes, "devices": run.devices, "new_desired_states": run.changed}})
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
