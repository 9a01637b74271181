package changes

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/change"
	"rankwarden.example/core/gate"
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
	Asking
	Plan rollout.Plan
	// AtOnce has all devices in one wave; Plan then says no more than its gate.
	AtOnce bool
}

// StartRollout takes a change out, wave by wave. What [Service.ApplyChange] refuses is refused here too, before any
// device has the change. Where a second person must approve and has not, the change waits for one instead; started is
// false then.
func (s *Service) StartRollout(
	ctx context.Context, who rights.Identity, name string, how GoingOut,
) (out ChangeWithEdits, started bool, err error) {
	if err := how.Plan.Check(); err != nil {
		return out, false, refusal.New(refusal.Invalid, "%v", err).At("plan")
	}
	c, machine := &store.Change{}, &rollout.Rollout{}
	a := attempt{act: uow.ByOperator(operation.StartRollout, who, name), asking: how.Asking,
		beside: append([]string{rollout.FirstWave}, how.Plan.First...)}
	opens := s.openChange(&a, c, true)
	a.first = func(tx Records, w *uow.Work) (*gate.Agreement, error) {
		if err := devicegroups.Exist(tx, "first", how.Plan.First); err != nil {
			return nil, err
		}
		if err := planning.NotFrozen(tx); err != nil {
			return nil, err
		}
		return opens(tx, w)
	}
	a.make = func(tx Records, w *uow.Work) error { return s.carriesOut(*c, "")(tx, w) }
	a.atOnce = func(x *weighed) bool {
		machine = how.draw(x)
		return isOneWave(machine)
	}
	a.goes = func(tx Records, w *uow.Work, x *weighed) error {
		started = true
		return s.takeOut(tx, w, c, how, machine, x.affected)
	}
	a.waits = func(tx Records, w *uow.Work, x *weighed) error { return s.mustWait(tx, w, c, x) }
	err = s.passAnd(ctx, &a, func(tx Records) (err error) {
		out, err = readChange(tx, name)
		return err
	})
	return out, started && err == nil, refusal.Named(err, "change", name)
}

// draw draws the waves of what would go out.
func (g GoingOut) draw(x *weighed) *rollout.Rollout {
	devices := make([]string, 0, len(x.affected))
	for id := range x.affected {
		devices = append(devices, id)
	}
	slices.Sort(devices)
	if g.AtOnce {
		return rollout.AllAtOnce(devices, g.Plan.Gate)
	}
	return rollout.Drawn(devices, x.in, g.Plan)
}

// isOneWave reports whether all devices of a rollout are in one wave, whatever it is called: that is all at once.
func isOneWave(machine *rollout.Rollout) bool {
	waves := map[int]bool{}
	for _, d := range machine.Devices {
		waves[d.Wave] = true
	}
	return len(waves) < 2
}

// takeOut starts the rollout of a change, whose waves are drawn.
func (s *Service) takeOut(
	tx Records, w *uow.Work, c *store.Change, how GoingOut, machine *rollout.Rollout, affected planning.Affected,
) error {
	records, err := tx.ChangeEdits(c.ID)
	if err != nil {
		return err
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
	w.After = map[string]any{"devices": len(affected), "waves": len(machine.Waves), "at_once": how.AtOnce}
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
	return s.atTheDoor(ctx, act, func(tx Records, w *uow.Work) error {
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
