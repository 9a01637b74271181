package deploy

import (
	"context"
	"errors"
	"slices"
	"strings"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/rollout"
	"rankwarden.example/internal/base/planning"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
)

// PauseRollout holds a running rollout: no wave opens, and no device that comes gets the change.
func (s *Service) PauseRollout(ctx context.Context, who rights.Identity, name, reason string) error {
	return s.act(
		ctx,
		who,
		operation.PauseRollout,
		name,
		reason,
		func(Records, *uow.Work, *planning.Run) (rollout.Event, error) {
			return rollout.Pause{By: who.Name, Reason: reason}, nil
		},
	)
}

// OpenNextWave opens the next wave before its gate is passed. Where a second person must agree it asks for one instead,
// and says so.
func (s *Service) OpenNextWave(ctx context.Context, who rights.Identity, name, reason string) (asked bool, err error) {
	err = s.act(ctx, who, operation.OpenWave, name, reason,
		func(_ Records, w *uow.Work, r *planning.Run) (rollout.Event, error) {
			before := r.Machine.Asked
			switch {
			case !s.SecondPersonOpens:
			case before == nil:
				asked = true
				w.Call("rollout.asked_to_open")
				return rollout.AskOpen{By: who.Name, Reason: reason}, nil
			case who.Token != "":
				return nil, refusal.New(refusal.Forbidden,
					"an API token agrees to nothing; sign in with your password").
					WithCode("session_needed")
			case !who.Fresh(s.Now()):
				return nil, refusal.New(refusal.Forbidden,
					"sign in again: whoever agrees to something has signed in within the last 15 minutes").
					WithCode("sign_in_again")
			case before.By == who.Name:
				return nil, refusal.New(refusal.Forbidden,
					"you asked for wave %d to open early, so somebody else must open it",
					before.Wave+1).
					WithCode("own_request")
			default:
				if strings.TrimSpace(reason) == "" {
					reason = before.Reason
				}
			}
			return rollout.OpenNext{By: who.Name, Reason: reason}, nil
		})
	return asked, err
}

// RevertRollout takes the change back from every device that has it. With give back, devices also give back the members
// and values that the change took away, as far as nobody altered them since.
func (s *Service) RevertRollout(ctx context.Context, who rights.Identity, name, reason string, giveBack bool) error {
	return s.act(ctx, who, operation.RevertRollout, name, reason,
		func(tx Records, w *uow.Work, r *planning.Run) (rollout.Event, error) {
			if strings.TrimSpace(reason) == "" {
				return nil, refusal.New(refusal.Invalid, "say why the change is taken back, for its authors").
					At("reason")
			}
			c, err := tx.LockChange(r.Name)
			if err != nil {
				return nil, err
			}
			now := s.Now()
			c.State, c.ClosedAt, c.Version, c.UpdatedAt = store.ChangeReverted, &now, c.Version+1, now
			if err := tx.SetChange(c, c.Version-1); err != nil {
				return nil, err
			}
			w.Tell(store.TopicEdits, c.Name)
			r.EndedAt, r.GiveBack = &now, giveBack
			event := store.ChangeEvent{ChangeID: c.ID, At: now, Who: who.Name, What: "reverted", Detail: reason}
			return rollout.Revert{By: who.Name, Reason: reason, GiveBack: giveBack}, tx.AddChangeEvent(event)
		})
}

// act does what a person wants of a rollout that is under way.
func (s *Service) act(
	ctx context.Context, who rights.Identity, op *operation.Operation, name, reason string,
	do func(tx Records, w *uow.Work, r *planning.Run) (rollout.Event, error),
) error {
	act := uow.ByOperator(op, who, name).Because(strings.TrimSpace(reason))
	err := s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		r, err := loadLocked(tx, name)
		if err != nil {
			return err
		}
		if r.EndedAt != nil {
			return refusal.New(refusal.Conflict,
				"the rollout of %q has ended (%s); to take back what it brought, make a change that does", name,
				r.State).
				WithCode("rollout_ended")
		}
		if err := mayTouch(tx, who, r); err != nil {
			return err
		}
		event, err := do(tx, w, r)
		if err != nil {
			return err
		}
		if _, err := r.Machine.Apply(event, s.Now()); err != nil {
			return refuseEvent(err)
		}
		w.After = map[string]any{"state": r.Machine.State, "open_wave": r.Machine.Open() + 1}
		return r.Save(tx, w, s.Now(), nil, false)
	})
	return refusal.Named(err, "rollout", name)
}

func loadLocked(tx Records, name string) (*planning.Run, error) {
	record, err := tx.LockRollout(name)
	if err != nil {
		return nil, err
	}
	return planning.LoadRun(tx, record)
}

// mayTouch refuses whoever does not reach every device of a rollout.
func mayTouch(tx Records, who rights.Identity, r *planning.Run) error {
	mine := who.Reach(rights.Deploy)
	if mine.Everywhere() {
		return nil
	}
	ids := make([]string, 0, len(r.Machine.Devices))
	for id := range r.Machine.Devices {
		ids = append(ids, id)
	}
	n, err := tx.CountDevicesOutside(mine, ids)
	if err == nil && n > 0 {
		err = refusal.BeyondReach()
	}
	return err
}

// refuseEvent turns what the state machine says into a refusal.
func refuseEvent(err error) error {
	switch {
	case errors.Is(err, rollout.ErrReason):
		return refusal.New(refusal.Invalid, "%v", err).At("reason").WithCode("reason_needed")
	case errors.Is(err, rollout.ErrState):
		return refusal.New(refusal.Conflict, "%v", err).WithCode("rollout_state")
	}
	return err
}

// move says of devices that they come into a rollout or leave it.
func (s *Service) move(ctx context.Context, m planning.Move) error {
	err := s.Do(ctx, uow.Upkeep(), func(tx Records, w *uow.Work) error {
		r, err := loadLocked(tx, m.Rollout)
		if err != nil {
			return err
		}
		events, err := joinable(tx, m.Events)
		if err != nil {
			return err
		}
		if m.Halt != "" {
			events = []rollout.Event{rollout.Halt{Why: m.Halt}}
		}
		decisions, err := r.Machine.ApplyAll(events, s.Now())
		if err != nil && !errors.Is(err, rollout.ErrState) { // somebody stopped it meanwhile
			return err
		}
		tell(w, r.Name, decisions)
		return r.Save(tx, w, s.Now(), m.Units, false)
	})
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	return err
}

// joinable leaves out who comes into a rollout and was retired since it was planned for.
func joinable(tx Records, events []rollout.Event) ([]rollout.Event, error) {
	var coming []string
	for _, e := range events {
		if j, is := e.(rollout.Join); is {
			coming = append(coming, j.Devices...)
		}
	}
	if len(coming) == 0 {
		return events, nil
	}
	facts, err := tx.LiveFacts(coming)
	if err != nil {
		return nil, err
	}
	live := map[string]bool{}
	for _, f := range facts {
		live[f.ID] = true
	}
	events = slices.Clone(events)
	for i, e := range events {
		if j, is := e.(rollout.Join); is {
			j.Devices = slices.DeleteFunc(slices.Clone(j.Devices), func(id string) bool { return !live[id] })
			events[i] = j
		}
	}
	return events, nil
}

// tell puts what a rollout decided by itself on the trail.
func tell(w *uow.Work, name string, decisions []rollout.Decision) {
	for _, d := range decisions {
		if d.By != "" {
			continue
		}
		after := map[string]any{"wave": d.Wave + 1}
		if d.Broken != nil {
			after["condition"], after["devices"] = d.Broken.Condition, d.Devices
		}
		if d.Count > 0 {
			after["count"] = d.Count
		}
		w.Also(uow.ByService("rollout."+string(d.What), name).Because(d.Reason), audit.Done, nil, after)
	}
}
