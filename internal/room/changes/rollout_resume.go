package changes

import (
	"context"
	"errors"
	"strings"

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

// ResumeRollout goes on with a rollout that is paused or stopped. Where its change was edited meanwhile it goes through
// the door again, with the waves as they are drawn: it must be looked at, and what a second person must approve is
// asked for; resumed is false then.
func (s *Service) ResumeRollout(
	ctx context.Context, who rights.Identity, name string, asking Asking,
) (resumed bool, err error) {
	act := uow.ByOperator(operation.ResumeRollout, who, name).Because(strings.TrimSpace(asking.Reason))
	if err := s.Allowed(ctx, act); err != nil {
		return false, err
	}
	edited, err := s.wasEdited(ctx, name)
	if err != nil {
		return false, refusal.Named(err, "rollout", name)
	}
	if edited {
		resumed, err = s.resumeEdited(ctx, act.InChange(name), who, name, asking)
		return resumed && err == nil, refusal.Named(err, "rollout", name)
	}
	err = s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		run, err := resumable(tx, who, name)
		if err != nil {
			return err
		}
		if err := s.resumeAsItWas(tx, w, name); err != nil {
			return err
		}
		w.After = map[string]any{"edited": false}
		return s.goesOn(tx, w, run, asking.Reason, nil, false)
	})
	return err == nil, refusal.Named(err, "rollout", name)
}

// resumable locks a rollout whose devices are all in reach.
func resumable(tx Records, who rights.Identity, name string) (*planning.Run, error) {
	record, err := tx.LockRollout(name)
	if err != nil {
		return nil, err
	}
	run, err := planning.LoadRun(tx, record)
	if err != nil {
		return nil, err
	}
	devices := make([]string, 0, len(run.Machine.Devices))
	for id := range run.Machine.Devices {
		devices = append(devices, id)
	}
	return run, devicegroups.MayMove(tx, who, devices)
}

// goesOn has a rollout go on, and stores it.
func (s *Service) goesOn(
	tx Records, w *uow.Work, run *planning.Run, reason string, affected planning.Affected, edited bool,
) error {
	event := rollout.Resume{By: w.Who().Name, Reason: reason, Edited: edited}
	if _, err := run.Machine.Apply(event, s.Now()); err != nil {
		return refuseResume(err)
	}
	return run.Save(tx, w, s.Now(), affected, edited)
}

func refuseResume(err error) error {
	if errors.Is(err, rollout.ErrReason) {
		return refusal.New(refusal.Invalid, "%v", err).At("reason").WithCode("reason_needed")
	}
	return refusal.New(refusal.Conflict, "%v", err).WithCode("rollout_state")
}

// wasEdited reports whether the edits of a change are others than those that its rollout takes out.
func (s *Service) wasEdited(ctx context.Context, name string) (edited bool, err error) {
	err = s.Snapshot(ctx, func(tx Reads) error {
		record, err := tx.Rollout(name)
		if err != nil {
			return err
		}
		now, err := tx.ChangeEdits(record.ChangeID)
		edited = !planning.SameEdits(now, record.Edits)
		return err
	})
	return edited, err
}

// resumeAsItWas has a change be on its way again, of which edits were altered and put back while it was mended.
func (s *Service) resumeAsItWas(tx Records, w *uow.Work, name string) error {
	c, err := tx.LockChange(name)
	if err != nil || c.State == store.ChangeGoingOut {
		return err
	}
	return s.goesOut(tx, w, &c, changeResumed, "with the edits that it had before")
}

// resumeEdited has a rollout take out the edits that its change has now.
func (s *Service) resumeEdited(
	ctx context.Context, act uow.Act, who rights.Identity, name string, asking Asking,
) (resumed bool, err error) {
	c := &store.Change{}
	var run *planning.Run
	a := attempt{act: act, asking: asking}
	opens := s.openChange(&a, c, false)
	a.first = func(tx Records, w *uow.Work) (agreed *gate.Agreement, err error) {
		if run, err = resumable(tx, who, name); err != nil {
			return nil, err
		}
		return opens(tx, w)
	}
	a.make = func(tx Records, w *uow.Work) error { return s.carriesOut(*c, "")(tx, w) }
	var drawn error
	a.atOnce = func(x *weighed) bool {
		drawn = s.takeEdits(run, x.affected)
		return isOneWave(run.Machine)
	}
	a.goes = func(tx Records, w *uow.Work, x *weighed) (err error) {
		if drawn != nil {
			return drawn
		}
		if run.Edits, err = tx.ChangeEdits(c.ID); err != nil {
			return err
		}
		if run.Touches, err = s.touches(tx, run.Edits, c.Name); err != nil {
			return err
		}
		if err := s.goesOut(tx, w, c, changeResumed, "with other edits than before"); err != nil {
			return err
		}
		resumed = true
		w.After = map[string]any{"edited": true}
		return s.goesOn(tx, w, run, asking.Reason, x.affected, true)
	}
	a.waits = func(tx Records, w *uow.Work, x *weighed) error { return s.mustWait(tx, w, c, x) }
	err = s.pass(ctx, &a)
	return resumed, err
}

// takeEdits draws who comes into a rollout by the edits that its change has now, and takes out who does not have them.
func (s *Service) takeEdits(run *planning.Run, affected planning.Affected) error {
	joins := rollout.Join{Why: "the edited change", Wanted: true}
	for id := range affected {
		joins.Devices = append(joins.Devices, id)
	}
	if _, err := run.Machine.Apply(joins, s.Now()); err != nil {
		return err
	}
	for id := range run.Machine.Devices {
		if affected[id] == nil {
			if _, err := run.Machine.Apply(rollout.Leave{Device: id}, s.Now()); err != nil {
				return err
			}
		}
	}
	return nil
}
