package changes

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/change"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/rollout"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/planning"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// GoingOut is how a change is to go out.
type GoingOut struct {
	Digest string // of the preview that whoever starts it has seen
	Plan   rollout.Plan
	// AtOnce has all devices in one wave; Plan then says no more than its gate.
	AtOnce bool
}

// StartRollout takes a change out, wave by wave. What [Service.ApplyChange] refuses is refused here too, before any
// device has the change. Where a second person must approve and has not, the change waits for one instead; started is
// false then.
func (s *Service) StartRollout(
	ctx context.Context, who rights.Identity, name string, how GoingOut,
) (c ChangeWithEdits, started bool, err error) {
	act := uow.ByOperator(operation.StartRollout, who, name)
	if err := s.Allowed(ctx, act); err != nil {
		return c, false, err
	}
	if err := how.Plan.Check(); err != nil {
		return c, false, refusal.New(refusal.Invalid, "%v", err).At("plan")
	}
	if err := devicegroups.Exist(s.Read(ctx), "first", how.Plan.First); err != nil {
		return c, false, err
	}
	seen, affected, in, err := s.effectsOf(ctx, name, how.Plan.First)
	if err != nil {
		return c, false, err
	}
	if how.Digest != seen.Digest {
		return c, false, errPreviewMoved(name)
	}
	needs := s.Approvals.alsoNeeds(seen.Needs, how.AtOnce)
	err = s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		change, err := tx.LockChange(name)
		if err != nil {
			return err
		}
		if err := notUnderWay(tx, change, "resume it, or revert it"); err != nil {
			return err
		}
		if started, err = s.mayGoOut(tx, w, &change, seen, needs); err == nil && started {
			err = s.tryOut(tx, w, change)
		}
		if err == nil && started {
			err = s.takeOut(tx, w, &change, how, affected, in)
		}
		if err != nil {
			return err
		}
		c, err = readChange(tx, name)
		return err
	})
	return c, started && err == nil, refusal.Named(err, "change", name)
}

// effectsOf works out what a change does to the fleet, which devices it affects, and who is in which of the groups.
func (s *Service) effectsOf(
	ctx context.Context, name string, groups []string,
) (seen *Preview, affected planning.Affected, in func(device, group string) bool, err error) {
	c, edits, err := s.openEdits(ctx, name)
	if err != nil {
		return nil, nil, nil, err
	}
	done, err := s.turn(ctx)
	if err != nil {
		return nil, nil, nil, err
	}
	defer done()
	f, err := s.read(ctx, rights.Everywhere, edits, append([]string{rollout.FirstWave}, groups...)...)
	if err != nil {
		return nil, nil, nil, err
	}
	if seen, err = s.weigh(ctx, c, f); err != nil {
		return nil, nil, nil, err
	}
	index := make(map[string]int, len(f.Devices))
	for i, d := range f.Devices {
		index[d.ID] = i
	}
	affected = f.Affected()
	in = func(device, group string) bool { return f.Then.In(group, index[device]) == assign.Yes }
	return seen, affected, in, nil
}

// mayGoOut says whether a change may go out now. Where a second person must approve first, it is asked for; where what
// was approved is no longer what would happen, the approval lapses. Then it returns false, nil.
func (s *Service) mayGoOut(tx Records, w *uow.Work, c *store.Change, seen *Preview, needs []string) (bool, error) {
	missing := slices.ContainsFunc(needs, func(n string) bool { return !slices.Contains(c.Needs, n) })
	switch {
	case c.Version != seen.Version:
		return false, store.ErrStale
	case c.State == store.ChangeGoingOut:
		return false, refusal.New(refusal.Conflict, "the change %q is on its way already", c.Name).WithCode("under_way")
	case len(needs) > 0 && (c.State != store.ChangeApproved || missing):
		asked := *seen
		asked.Needs = needs
		return false, s.askApproval(tx, w, c, &asked)
	case c.State == store.ChangeApproved && c.Preview != seen.Digest:
		return false, s.lapse(tx, w, c)
	}
	return true, nil
}

// tryOut makes the edits of a change and takes them back, so that whatever is in their way is known before they go out.
func (s *Service) tryOut(tx Records, w *uow.Work, c store.Change) error {
	if err := tx.Mark(); err != nil {
		return err
	}
	part := w.Nested(w.Act().InChange(c.Name))
	return errors.Join(s.carryOut(tx, part, &c, ""), tx.BackToMark())
}

// takeOut draws the waves of a change, and starts its rollout.
func (s *Service) takeOut(
	tx Records, w *uow.Work, c *store.Change, how GoingOut, affected planning.Affected,
	in func(device, group string) bool,
) error {
	records, err := tx.ChangeEdits(c.ID)
	if err != nil {
		return err
	}
	devices := make([]string, 0, len(affected))
	for id := range affected {
		devices = append(devices, id)
	}
	slices.Sort(devices)
	machine := rollout.AllAtOnce(devices, how.Plan.Gate)
	if !how.AtOnce {
		machine = rollout.Drawn(devices, in, how.Plan)
	}
	now := s.Now()
	record := store.Rollout{
		ID: store.NewID(
			now,
		), ChangeID: c.ID, Name: c.Name, Version: 1, Edits: records, StartedAt: now, StartedBy: w.Who().Name,
		LookedAt: now,
	}
	if record.Touches, err = s.touches(tx, records, c.Name); err != nil {
		return err
	}
	if _, err := machine.Apply(rollout.Start{By: w.Who().Name}, now); err != nil {
		return fmt.Errorf("starting the rollout of %s: %w", c.Name, err)
	}
	run := planning.NewRun(record, machine)
	if err := run.Encode(); err != nil {
		return err
	}
	if err := tx.AddRollout(run.Rollout); err != nil {
		return refusal.Named(err, "rollout", c.Name)
	}
	if err := run.SaveDevices(tx, w, now, affected, false); err != nil {
		return err
	}
	w.After = map[string]any{"devices": len(devices), "waves": len(machine.Waves), "at_once": how.AtOnce}
	return s.goesOut(tx, w, c, changeStarted, startedIn(machine, how.AtOnce))
}

func startedIn(machine *rollout.Rollout, atOnce bool) string {
	if atOnce {
		return "to all devices at once, with a gate"
	}
	return fmt.Sprintf("in %d waves", len(machine.Waves))
}

// goesOut notes that a change is on its way.
func (s *Service) goesOut(tx Records, w *uow.Work, c *store.Change, what, detail string) error {
	c.State, c.Version, c.UpdatedAt = store.ChangeGoingOut, c.Version+1, s.Now()
	if err := tx.SetChange(*c, c.Version-1); err != nil {
		return err
	}
	return s.recordChange(tx, w, *c, what, detail)
}

// touches are the things that edits touch. A thing that another rollout under way touches is refused.
func (s *Service) touches(tx Records, records []store.ChangeEdit, except string) ([]string, error) {
	assignments, err := tx.Assignments()
	if err != nil {
		return nil, err
	}
	aims := make([]assign.Assignment, len(assignments))
	for i, a := range assignments {
		aims[i] = a.Aim()
	}
	edits := make([]change.Step, len(records))
	for i, r := range records {
		edits[i] = change.Step{Kind: change.Kind(r.Kind), Name: r.Name}
	}
	things := []string{}
	for thing := range change.Touches(edits, aims) {
		things = append(things, thing)
	}
	slices.Sort(things)
	return things, planning.NotTouched(tx, except, things...)
}

// FinishRollout makes the edits of a change for good, once it is on every device.
func (s *Service) FinishRollout(ctx context.Context, name string) error {
	act := uow.ByService("change.applied", name).InChange(name)
	return s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		record, err := tx.LockRollout(name)
		if err != nil {
			return err
		}
		if record.EndedAt != nil || record.State != rollout.Done {
			w.Quiet()
			return nil
		}
		if err := planning.NotFrozen(tx); err != nil {
			return err
		}
		c, err := tx.LockChange(name)
		if err != nil {
			return err
		}
		record.EndedAt, record.Version = new(s.Now()), record.Version+1
		if err := tx.SetRollout(record, record.Version-1); err != nil {
			return err
		}
		w.Tell(store.TopicRollouts, name)
		return s.carryOut(tx, w, &c, "wave by wave, started by "+record.StartedBy)
	})
}

// mayBeEdited refuses edits of a change that is on its way, unless its rollout is paused or stopped: then it is mended,
// and goes on with what it is by then.
func mayBeEdited(tx Records, c *store.Change) error {
	if c.State != store.ChangeGoingOut {
		return nil
	}
	r, err := tx.Rollout(c.Name)
	if err != nil {
		return err
	}
	if r.State != rollout.Paused && r.State != rollout.Stopped {
		return refusal.New(refusal.Conflict, "the change %q is on its way; pause its rollout to edit it", c.Name).
			WithCode("under_way")
	}
	return nil
}

// notUnderWay refuses what must not be done with a change of which a rollout is under way, also while it is mended.
func notUnderWay(tx Records, c store.Change, instead string) error {
	r, err := tx.Rollout(c.Name)
	switch {
	case errors.Is(err, store.ErrNotFound):
		return nil
	case err != nil:
		return err
	case r.EndedAt == nil:
		return refusal.New(refusal.Conflict, "a rollout of the change %q is under way (%s); %s", c.Name, r.State,
			instead).
			WithCode("under_way")
	}
	return nil
}

// DefaultPlan is how a change goes out where nothing else is said.
func (s *Service) DefaultPlan() rollout.Plan {
	p := rollout.DefaultPlan
	if s.Soak > 0 {
		p.Gate.Soak = s.Soak
	}
	return p
}
