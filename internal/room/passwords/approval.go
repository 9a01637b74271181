package passwords

import (
	"context"
	"errors"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// withinBudget refuses what an operator may see only with a second person's approval, and asks for it.
// The operator's row is locked, so that each reveal counts those before it and uses an approval up.
func (s *Service) withinBudget(tx Records, w *uow.Work, found *toReveal) (refused, err error) {
	who, now := w.Who(), s.Now()
	shown, again, err := tx.RevealsOf(who.Name, now.Add(-budgetSpan), found.asReveal())
	if found.again = again; err != nil || again || shown < s.RevealBudget {
		return nil, err
	}
	approval, err := tx.OpenApproval(who.Name, found.device.ID, found.rotation.Target, now)
	switch {
	case errors.Is(err, store.ErrNotFound):
		approval = store.Approval{
			ID:       store.NewID(now),
			DeviceID: found.device.ID,
			Target:   found.rotation.Target,
			AskedBy:  who.Name,
			Reason:   w.Reason(),
			AskedAt:  now,
			EndsAt:   now.Add(approvalLife),
		}
		if err := tx.AddApproval(approval); err != nil {
			return nil, err
		}
		w.Tell(store.TopicEdits)
	case err != nil:
		return nil, err
	case approval.Approved:
		approval.UsedAt = &now
		return nil, tx.SetApproval(approval)
	}
	return refusal.New(refusal.Forbidden, "you have seen %d passwords within an hour, which is what you may see "+
			"alone. A second person with the right to see it must approve this one (%s); then ask again",
			shown, approval.ID).
			WithCode("second_person_needed"),
		nil
}

// Decide approves a reveal beyond the budget, or refuses it. Nobody decides what they asked for.
func (s *Service) Decide(ctx context.Context, who rights.Identity, id string, approve bool) error {
	action := map[bool]string{true: "reveal.approved", false: "reveal.declined"}[approve]
	return s.Do(ctx, uow.ByOperator(operation.DecideApproval, who, id).As(action), func(tx Records, w *uow.Work) error {
		a, err := tx.LockApproval(id)
		if err != nil {
			return refusal.Named(err, "request", id)
		}
		if _, err := reach.Visible(tx, s.Clock(), who, a.DeviceID); err != nil {
			return refusal.Missing("request", id)
		}
		w.SetObject(a.Device)
		w.Explain(a.Reason)
		w.After = map[string]any{"account": a.Target, "asked_by": a.AskedBy}
		switch {
		case a.AskedBy == who.Name:
			return refusal.New(refusal.Forbidden, "you asked for this yourself; somebody else must approve it").
				WithCode("second_person_needed")
		case a.DecidedAt != nil || !s.Now().Before(a.EndsAt):
			return refusal.New(refusal.Conflict, "this request was decided, or has ended; %s may ask again", a.AskedBy)
		}
		if err := reach.Check(tx, who, rights.Reveal, []string{a.DeviceID}); err != nil {
			return err
		}
		now := s.Now()
		a.DecidedBy, a.DecidedAt, a.Approved, a.EndsAt = who.Name, &now, approve, now.Add(approvalLife)
		if err := tx.SetApproval(a); err != nil {
			return err
		}
		w.Tell(store.TopicEdits)
		return nil
	})
}
