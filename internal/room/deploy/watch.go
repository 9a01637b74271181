package deploy

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/rollout"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/base/planning"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// How rollouts are watched.
const (
	lookEvery  = time.Second      // at what has just reported
	lookAtAll  = 15 * time.Second // at every device: some were heard from without a report
	noteLook   = 10 * time.Second // how often it is noted that somebody looks
	unwatched  = time.Minute      // after so long without a look, the time since is no soak
	hasRetried = 2                // check-ins after which a device that says nothing new has tried again
)

// watcher is what a replica remembers of the rollouts that it watches.
type watcher struct {
	runs     map[string]*planning.Run // by identifier
	reported map[string]bool          // devices that reported since the last look
	lastAll  time.Time
}

// RolloutLoop watches the rollouts under way until the context ends: reports become outcomes, gates open waves or stop,
// and a change that is everywhere is made for good. Any number of replicas may run it; one works at a time.
func (s *Service) RolloutLoop(ctx context.Context) {
	told := s.Hub.Subscribe(store.TopicReports, store.TopicRollouts, store.TopicDatabase)
	defer told.Close()
	w := &watcher{runs: map[string]*planning.Run{}, reported: map[string]bool{}}
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(lookEvery):
		}
		news := told.Drain()
		for _, id := range news[store.TopicReports] {
			w.reported[id] = true
		}
		if _, another := news[store.TopicDatabase]; another { // a version may come to mean another state
			clear(w.runs)
			w.lastAll = time.Time{}
		}
		if err := s.watch(ctx, w); err != nil && ctx.Err() == nil {
			s.Log.Error("watching rollouts failed; it is tried again", "error", err)
			w.lastAll = time.Time{} // whatever was missed is looked at then
		}
	}
}

// WatchRollouts looks at every rollout under way once, unless another replica is at it.
func (s *Service) WatchRollouts(ctx context.Context) error {
	return s.watch(ctx, &watcher{runs: map[string]*planning.Run{}, reported: map[string]bool{}})
}

func (s *Service) watch(ctx context.Context, w *watcher) error {
	records, err := s.Read(ctx).RolloutsUnderWay()
	if err == nil && len(records) > 0 {
		frozen, wrong := s.Read(ctx).Freezes()
		if wrong != nil || len(frozen) > 0 {
			return wrong // what is reported meanwhile is looked at afterwards, and the time is no soak
		}
	}
	if err != nil || len(records) == 0 {
		clear(w.runs)
		clear(w.reported)
		return err
	}
	_, err = s.Locks.Exclusively(ctx, store.LockRollouts, func(ctx context.Context) error {
		devices := []string{}
		for id := range w.reported {
			devices = append(devices, id)
		}
		slices.Sort(devices)
		if s.Now().Sub(w.lastAll).Abs() >= lookAtAll {
			devices, w.lastAll = nil, s.Now()
		}
		clear(w.reported)
		var errs []error // one that fails holds up no other
		for _, r := range records {
			errs = append(errs, s.watchOne(ctx, w, r, devices))
		}
		return errors.Join(errs...)
	})
	return err
}

// watchOne looks at one rollout, at some devices or at all of them where nil is given.
func (s *Service) watchOne(ctx context.Context, w *watcher, record store.Rollout, devices []string) error {
	if record.State != rollout.Done {
		err := s.look(ctx, w, record, devices)
		switch {
		case errors.Is(err, store.ErrStale): // somebody acted meanwhile: it is read anew at the next look
			w.lastAll = time.Time{}
			return nil
		case err != nil:
			return err
		}
		if r := w.runs[record.ID]; r == nil || r.Machine.State != rollout.Done {
			return nil
		}
	}
	return s.finishRollout(ctx, record)
}

// finishRollout makes the change of a rollout that is done for good; where that cannot be, the rollout says why.
func (s *Service) finishRollout(ctx context.Context, record store.Rollout) error {
	err := s.Finish(ctx, record.Name)
	if !isPoison(err) {
		return err
	}
	return errors.Join(err, s.Do(ctx, uow.Upkeep(), func(tx Records, w *uow.Work) error {
		r, wrong := loadLocked(tx, record.Name)
		if wrong != nil || r.Trouble == err.Error() {
			return wrong
		}
		r.Trouble = err.Error()
		return r.Save(tx, w, s.Now(), nil, false)
	}))
}

func (s *Service) look(ctx context.Context, w *watcher, record store.Rollout, devices []string) error {
	run := w.runs[record.ID]
	if run == nil || run.Version != record.Version {
		devices = nil
	}
	delete(w.runs, record.ID) // until it is as stored again
	opened := false
	err := s.Do(ctx, uow.Upkeep(), func(tx Records, work *uow.Work) (err error) {
		locked, err := tx.LockRollout(record.Name)
		if err != nil {
			return err
		}
		if run == nil || run.Version != locked.Version {
			if run, err = planning.LoadRun(tx, locked); err != nil {
				return err
			}
			devices = nil
		}
		run.LookedAt = locked.LookedAt // another replica may have looked since
		events, err := s.seen(tx, run, devices)
		if err != nil {
			return err
		}
		decisions, altered, err := s.happen(run, events)
		if err != nil {
			return err
		}
		if opened = opensWave(decisions); opened {
			if why := s.cannotApply(tx, run); why != nil {
				if run, err = planning.LoadRun(tx, locked); err != nil {
					return err
				}
				if decisions, _, err = s.happen(run, []rollout.Event{rollout.Halt{Why: why.Error()}}); err != nil {
					return err
				}
			}
		}
		now := s.Now()
		switch {
		case altered:
			run.LookedAt = now
			tell(work, run.Name, decisions)
			return run.Save(tx, work, now, nil, false)
		case now.Sub(run.LookedAt).Abs() >= noteLook:
			run.LookedAt = now
			return tx.LookedAt([]string{run.ID}, now)
		}
		return nil
	})
	if err == nil && !opened { // what was told is read again, with who was online then
		w.runs[record.ID] = run
	}
	return err
}

// happen has events happen, and then time pass. Altered says that something is to be stored.
func (s *Service) happen(run *planning.Run, events []rollout.Event) ([]rollout.Decision, bool, error) {
	now := s.Now()
	altered := len(events) > 0
	if away := now.Sub(run.LookedAt); away > unwatched {
		events, altered = append([]rollout.Event{rollout.Unwatched{For: away}}, events...), true
	}
	decisions, err := run.Machine.ApplyAll(events, now)
	return decisions, altered || len(decisions) > 0, err
}

func opensWave(decisions []rollout.Decision) bool {
	return slices.ContainsFunc(decisions, func(d rollout.Decision) bool { return d.What == rollout.WaveOpened })
}

// cannotApply says why the change of a rollout cannot be made any more, nil when it can.
func (s *Service) cannotApply(tx Records, run *planning.Run) error {
	known, err := s.read(tx, nil)
	if err != nil {
		return nil // nothing is known; settling says more
	}
	_, err = known.plans.With([]string{run.ID})
	return err
}

// seen turns what is known of devices that have the change into events, where it is news.
func (s *Service) seen(tx Records, run *planning.Run, devices []string) ([]rollout.Event, error) {
	if devices != nil && len(devices) == 0 {
		return nil, nil
	}
	sights, err := tx.RolloutSights(run.ID, devices)
	if err != nil {
		return nil, err
	}
	var drifted []string
	for _, d := range sights {
		if d.OpenFindings > 0 {
			drifted = append(drifted, d.DeviceID)
		}
	}
	findings := map[string][]store.OpenFinding{}
	if len(drifted) > 0 {
		found, err := tx.OpenFindingsOf(drifted)
		if err != nil {
			return nil, err
		}
		for _, f := range found {
			findings[f.DeviceID] = append(findings[f.DeviceID], f)
		}
	}
	var events []rollout.Event
	for _, d := range sights {
		if d.State != store.Live {
			events = append(events, rollout.Leave{Device: d.DeviceID})
			continue
		}
		outcome, settings := judge(d, findings[d.DeviceID], s.Interval)
		was := run.Machine.Devices[d.DeviceID]
		if s.lost(d, outcome) {
			if was.Outcome != rollout.Lost {
				events = append(events, rollout.Silence{Device: d.DeviceID})
			}
			continue
		}
		if outcome != rollout.Told && (outcome != was.Outcome || !slices.Equal(settings, was.Settings)) {
			events = append(events, rollout.Report{Device: d.DeviceID, Outcome: outcome, Settings: settings})
		}
	}
	return events, nil
}

// lost reports whether a device that was online when it was told, and was given the change, has not been heard from for
// so long since that it counts as failed. Time in which the service itself was away or could not write does not count.
func (s *Service) lost(d store.RolloutSight, outcome rollout.Outcome) bool {
	if !d.Online || d.GivenAt == nil || outcome != rollout.Told && outcome != rollout.Working {
		return false
	}
	clock := s.Clock()
	last := d.Since
	for _, at := range []*time.Time{d.GivenAt, d.LastContact, d.ReportedAt, &clock.Since} {
		if at != nil && at.After(last) {
			last = *at
		}
	}
	return clock.Now.Sub(last) >= drift.SilentAfter*s.Interval
}

// judge says what a device made of a change, and the settings that are in the way. Only findings of settings that the
// change alters count. A device that has nothing to report since it counts again has tried again after some check-ins.
func judge(d store.RolloutSight, findings []store.OpenFinding, interval time.Duration) (rollout.Outcome, []unit.ID) {
	since := func(at *time.Time, more time.Duration) bool { return at != nil && !at.Before(d.Since.Add(more)) }
	mine := func(id unit.ID) bool { return len(d.Units) == 0 || slices.Contains(d.Units, id) }
	if !since(d.LastContact, 0) && !since(d.ReportedAt, 0) {
		return rollout.Told, nil
	}
	var held []unit.ID
	for _, h := range d.Held {
		if mine(h.Unit) {
			held = append(held, h.Unit)
		}
	}
	if len(held) > 0 {
		return rollout.Held, sorted(held)
	}
	toldOf := drift.Stamp{Epoch: d.Epoch, Number: d.Number}
	reported := drift.Stamp{Epoch: d.ReportedEpoch, Number: d.ReportedNumber}
	if d.Number == 0 || toldOf.Newer(reported) ||
		!since(d.ReportedAt, 0) && !since(d.LastContact, hasRetried*interval) {
		return rollout.Working, nil
	}
	var refused, failed []unit.ID
	for _, f := range findings {
		switch {
		case !mine(f.Unit) || !f.Kind.Differs():
		case f.Kind == drift.ApplyFailed && isGuard(f.Actual):
			refused = append(refused, f.Unit)
		case f.Kind == drift.ApplyFailed:
			failed = append(failed, f.Unit)
		}
	}
	switch {
	case len(refused) > 0:
		return rollout.GuardRefused, sorted(refused)
	case len(failed) > 0:
		return rollout.Failed, sorted(failed)
	case slices.ContainsFunc(findings, func(f store.OpenFinding) bool {
		return mine(f.Unit) && f.Kind.Differs()
	}):
		return rollout.Working, nil
	}
	return rollout.Verified, nil
}

func isGuard(actual string) bool {
	var said string
	return json.Unmarshal([]byte(actual), &said) == nil && strings.HasPrefix(said, drift.GuardError)
}

func sorted(ids []unit.ID) []unit.ID {
	slices.SortFunc(ids, unit.ID.Compare)
	return slices.Compact(ids)
}
