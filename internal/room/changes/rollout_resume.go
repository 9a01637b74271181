package changes

import (
	"context"
	"errors"
	"strings"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/rollout"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/planning"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// ResumeRollout goes on with a rollout that is paused or stopped. Where its change was edited meanwhile, digest is that
// of the preview which whoever resumes it has seen, and what a second person must approve is asked for; resumed is
// false then.
func (s *Service) ResumeRollout(
	ctx context.Context, who rights.Identity, name, reason, digest string,
) (resumed bool, err error) {
	act := uow.ByOperator(operation.ResumeRollout, who, name).Because(strings.TrimSpace(reason))
	if err := s.Allowed(ctx, act); err != nil {
		return false, err
	}
	edited, err := s.wasEdited(ctx, name)
	if err != nil {
		return false, refusal.Named(err, "rollout", name)
	}
	var seen *Preview
	var affected planning.Affected
	if edited {
		if seen, affected, _, err = s.effectsOf(ctx, name, nil); err != nil {
			return false, err
		}
		if digest != seen.Digest {
			return false, errPreviewMoved(name)
		}
	}
	err = s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		record, err := tx.LockRollout(name)
		if err != nil {
			return err
		}
		run, err := planning.LoadRun(tx, record)
		if err != nil {
			return err
		}
		devices := make([]string, 0, len(run.Machine.Devices))
		for id := range run.Machine.Devices {
			devices = append(devices, id)
		}
		if err := devicegroups.MayMove(tx, who, devices); err != nil {
			return err
		}
		if edited {
			resumed, err = s.resumeEdited(tx, w, run, seen, affected)
		} else {
			err = s.resumeAsItWas(tx, w, name)
		}
		if err != nil || edited && !resumed {
			return err
		}
		resumed = true
		event := rollout.Resume{By: who.Name, Reason: reason, Edited: edited}
		if _, err := run.Machine.Apply(event, s.Now()); err != nil {
			return refuseResume(err)
		}
		w.After = map[string]any{"edited": edited}
		return run.Save(tx, w, s.Now(), affected, edited)
	})
	return resumed && err == nil, refusal.Named(err, "rollout", name)
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
	tx Records, w *uow.Work, run *planning.Run, seen *Preview, affected planning.Affected,
) (bool, error) {
	c, err := tx.LockChange(run.Name)
	if err != nil {
		return false, err
	}
	if may, err := s.mayGoOut(tx, w, &c, seen, seen.Needs); err != nil || !may {
		return false, err
	}
	if err := s.tryOut(tx, w, c); err != nil {
		return false, err
	}
	if run.Edits, err = tx.ChangeEdits(c.ID); err != nil {
		return false, err
	}
	if run.Touches, err = s.touches(tx, run.Edits, c.Name); err != nil {
		return false, err
	}
	now := s.Now()
	joins := rollout.Join{Why: "the edited change", Wanted: true}
	for id := range affected {
		joins.Devices = append(joins.Devices, id)
	}
	if _, err := run.Machine.Apply(joins, now); err != nil {
		return false, err
	}
	for id := range run.Machine.Devices {
		if affected[id] == nil {
			if _, err := run.Machine.Apply(rollout.Leave{Device: id}, now); err != nil {
				return false, err
			}
		}
	}
	return true, s.goesOut(tx, w, &c, changeResumed, "with other edits than before")
}
