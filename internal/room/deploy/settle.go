package deploy

import (
	"context"
	"errors"
	"slices"
	"strings"
	"sync"
	"time"

	"golang.org/x/sync/errgroup"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/internal/base/planning"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/kit/doubling"
	"rankwarden.example/internal/kit/tracing"
	"rankwarden.example/internal/store"
)

// batchOfDevices is the number of devices settled in one transaction, and batchesAtOnce that of the transactions at a
// time: while one is composed, the other is stored.
const (
	batchOfDevices = 5000
	batchesAtOnce  = 2
)

// SettleLoop settles whatever waits until the context ends. Any number of replicas may run it: one
// works at a time, and what a replica did not finish stays in the queue for the next.
func (s *Service) SettleLoop(ctx context.Context) {
	const lookAgain = 2 * time.Second // for what a replica left behind when it died, what failed, and what was busy
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
			waiting.Drain()
		case <-time.After(lookAgain):
		}
	}
}

// SettlePending settles everything that waits now, unless another replica is at it.
func (s *Service) SettlePending(ctx context.Context) error {
	_, err := s.Locks.Exclusively(ctx, store.LockSettle, func(ctx context.Context) error {
		for {
			worked, err := s.settleOnce(ctx)
			if errors.Is(err, errFrozen) {
				return nil
			}
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
	changed  int   // devices whose desired state got a new number
	epoch    int64 // of the service
	// directory has the people and groups that the scopes name and the directory knows.
	directory map[principal.Ref]principal.Entry
	failed    []failedScope
	busy      []string        // devices that something else held all the time
	moves     []planning.Move // who comes into rollouts or leaves them; then nothing is planned
}

// settledScope is what is settled once for all devices that meet the same assignments.
type settledScope struct {
	record  store.Scope
	lane    resolve.Lane
	devices []string
	// rollouts are those whose changes the devices have.
	rollouts []string
}

// failedScope is devices that could not be settled, and why.
type failedScope struct {
	devices []string
	why     error
}

// busyLongest is the longest that a device that something else holds waits for the next look.
const busyLongest = 5 * time.Second

// settleTimeout is how long reading or one batch may take.
const settleTimeout = 2 * time.Minute

func (s *Service) settleOnce(ctx context.Context) (worked bool, err error) {
	if frozen, err := settlingFrozen(s.Read(ctx)); err != nil || frozen {
		return false, err
	}
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
	all, err := s.Read(ctx).SettleRequests()
	now := s.Now()
	return slices.DeleteFunc(all, func(r store.SettleRequest) bool { return r.NextAt.After(now) }), err
}

// isPoison reports whether an error lies in what is settled, and not in the database or in this replica.
func isPoison(err error) bool {
	return err != nil && !errors.Is(err, context.Canceled) && !errors.Is(err, context.DeadlineExceeded) &&
		!errors.Is(err, store.ErrFenced) && !errors.Is(err, errFrozen) &&
		!store.IsUnavailable(err)
}

// settleLater has a request that failed tried again, later each time.
func (s *Service) settleLater(ctx context.Context, r store.SettleRequest, why error) error {
	s.Log.Error(
		"a request to settle failed; it is tried again and holds up no other",
		"cause",
		r.Cause,
		"attempts",
		r.Attempts+1,
		"error",
		why,
	)
	return s.Do(ctx, uow.Upkeep(), func(tx Records, _ *uow.Work) error {
		return tx.SettleFailed([]int64{r.ID}, why.Error(), s.Now().Add(settleBackoff.After(r.Attempts+1)))
	})
}

// settleBackoff is the time until a request that failed is tried again.
var settleBackoff = doubling.Wait{First: time.Second, Longest: 10 * time.Minute}

// settle carries out requests.
func (s *Service) settle(ctx context.Context, requests []store.SettleRequest) error {
	run, err := s.planned(ctx, requests)
	if err != nil {
		return err
	}
	start := time.Now()
	ctx, span := tracing.Tracer().Start(ctx, "settle")
	defer span.End()
	if err := s.settleAll(ctx, run); err != nil {
		return err
	}
	err = s.Do(ctx, uow.ByService("device.resettled", "devices"), func(tx Records, w *uow.Work) error {
		return s.finish(tx, w, requests, run)
	})
	s.Log.Info(
		"settled",
		"causes",
		run.causes,
		"devices",
		run.devices,
		"scopes",
		len(run.scopes),
		"new_desired_states",
		run.changed,
		"failed",
		len(run.failed),
		"took",
		time.Since(start),
	)
	return err
}

// settleAll settles the devices of a run; what spoils a batch is noted, and stops no other.
func (s *Service) settleAll(ctx context.Context, run *settlement) error {
	batches, ctx := errgroup.WithContext(ctx)
	batches.SetLimit(batchesAtOnce)
	var mu sync.Mutex
	for _, scope := range run.scopes {
		for batch := range slices.Chunk(scope.devices, batchOfDevices) {
			batches.Go(func() error {
				changed, busy, err := s.settleBatch(ctx, scope, batch, run)
				mu.Lock()
				defer mu.Unlock()
				run.changed += changed
				run.busy = append(run.busy, busy...)
				if isPoison(err) {
					run.failed = append(run.failed, failedScope{batch, err})
					err = nil
				}
				return err
			})
		}
	}
	return batches.Wait()
}

// mostMoves is how often it is said again who is in which rollout before devices are settled as they are.
const mostMoves = 3

// planned plans requests, after saying who of their devices is in which rollout now.
func (s *Service) planned(ctx context.Context, requests []store.SettleRequest) (*settlement, error) {
	for range mostMoves {
		run := &settlement{}
		reading, cancel := context.WithTimeout(ctx, settleTimeout)
		err := s.Snapshot(reading, func(tx Reads) error { return s.plan(tx, requests, run) })
		cancel()
		if err != nil || len(run.moves) == 0 {
			return run, err
		}
		for _, m := range run.moves {
			if err := s.move(ctx, m); err != nil {
				return nil, err
			}
		}
	}
	return nil, errors.New("devices come into rollouts and leave them all the time; it is tried again")
}

// A device that something else holds, such as its own report on its way, is looked at a few times more; then it waits
// in the queue, and holds up no other.
const (
	busyLooks = 4
	busyPause = 50 * time.Millisecond
)

// settleBatch gives the number of devices whose desired state got a new number, and those that something else held.
func (s *Service) settleBatch(
	ctx context.Context, scope settledScope, batch []string, run *settlement,
) (changed int, busy []string, err error) {
	ctx, cancel := context.WithTimeout(ctx, settleTimeout)
	defer cancel()
	for look := range busyLooks {
		if look > 0 {
			select {
			case <-ctx.Done():
				return changed, batch, ctx.Err()
			case <-time.After(busyPause << look):
			}
		}
		var n int
		var left []string
		err = s.Do(ctx, uow.Upkeep(), func(tx Records, w *uow.Work) (err error) {
			n, left, err = s.settleDevices(tx, w, scope, batch, run)
			return err
		})
		if err != nil {
			return changed, nil, err // nothing of the last look was stored
		}
		if changed, batch = changed+n, left; len(batch) == 0 {
			break
		}
	}
	return changed, batch, nil
}

// finish takes the requests out of the queue. Devices that failed are put into one of their own.
func (s *Service) finish(tx Records, w *uow.Work, requests []store.SettleRequest, run *settlement) error {
	attempts := 0
	for _, r := range requests {
		attempts = max(attempts, r.Attempts)
	}
	for _, f := range run.failed {
		s.Log.Error(
			"devices could not be settled; it is tried again and holds up no other",
			"causes",
			run.causes,
			"devices",
			len(f.devices),
			"error",
			f.why,
		)
		again := store.SettleRequest{Cause: strings.Join(run.causes, ", "), Groups: []string{}, Devices: f.devices,
			CreatedAt: s.Now(), Attempts: attempts + 1, Error: f.why.Error(),
			NextAt: s.Now().Add(settleBackoff.After(attempts + 1))}
		if err := tx.RequestSettleAgain(again); err != nil {
			return err
		}
	}
	if len(run.busy) > 0 {
		slices.Sort(run.busy)
		if err := tx.RequestSettleAgain(store.SettleRequest{Cause: strings.Join(run.causes, ", "), Groups: []string{},
			Devices:   run.busy,
			CreatedAt: s.Now(), Attempts: attempts + 1, NextAt: s.Now().
					Add(min(settleBackoff.After(attempts+1), busyLongest))}); err != nil {
			return err
		}
	}
	if run.changed == 0 {
		w.Quiet()
	}
	w.After = map[string]any{"causes": run.causes, "devices": run.devices, "new_desired_states": run.changed}
	return tx.SettleDone(run.requests)
}
