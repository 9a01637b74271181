package notify

import (
	"context"
	"errors"
	"fmt"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/transport"
)

// Query narrows deliveries; what is empty narrows nothing.
type Query struct{ Target, State, Kind string }

// Deliveries lists a page, latest first.
func (s *Service) Deliveries(ctx context.Context, q Query, p store.Page) ([]store.Delivery, string, error) {
	tx := s.Read(ctx)
	f := store.DeliveryFilter{State: q.State, Kind: q.Kind}
	if q.Target != "" {
		t, err := named(tx, q.Target)
		if err != nil {
			return nil, "", err
		}
		f.Target = t.ID
	}
	return tx.ListDeliveries(f, p)
}

// SendAgain has failed deliveries to a target tried again: one, or all where id is 0. It gives how many.
func (s *Service) SendAgain(ctx context.Context, who rights.Identity, name string, id int64) (n int, err error) {
	act := uow.ByOperator(operation.SendAgain, who, name)
	err = s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		t, err := named(tx, name)
		if err != nil {
			return err
		}
		if n, err = tx.SendAgain(id, t.ID, s.Now()); err != nil {
			return err
		}
		if n == 0 {
			return refusal.New(refusal.Conflict, "no failed delivery to %s is to be sent again", name)
		}
		w.After = map[string]any{"deliveries": n}
		w.Tell(store.TopicDeliveries)
		return nil
	})
	return n, err
}

// Try sends one test message to a target now, and gives why it did not arrive, nil where it did. That it was tried is
// on the trail, as refused where the target is at an address that is not permitted.
func (s *Service) Try(ctx context.Context, who rights.Identity, name string) (failed error, err error) {
	t, err := named(s.Read(ctx), name)
	if err != nil {
		return nil, err
	}
	act := uow.ByOperator(operation.TestNotificationTarget, who, t.Name)
	n := store.Notification{ID: store.NewID(s.Now()), Kind: Test, Subject: t.Name, At: s.Now(),
		Path:  "/organisation/notifications",
		Words: fmt.Sprintf("%s tests the notification target %s", who.Name, t.Name), Data: "{}", Spread: true}
	sender, failed := s.sender(t)
	if failed == nil {
		_, failed = sender.Send(ctx, []transport.Message{s.message(n)})
	}
	if errors.Is(failed, transport.ErrNotPermitted) {
		return nil, s.Refuse(ctx, act, refusal.New(refusal.Forbidden, "%v", failed))
	}
	return failed, s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		w.After = map[string]any{"arrived": failed == nil}
		w.Tell(store.TopicDeliveries)
		if err := tx.AddNotification(n); err != nil {
			return err
		}
		if err := tx.AddDeliveries(n.ID, []string{t.ID}, n.At); err != nil {
			return err
		}
		state, why := store.DeliveryDelivered, ""
		if failed != nil {
			state, why = store.DeliveryFailed, failed.Error()
		}
		return tx.EndDeliveriesOf(n.ID, state, why, n.At)
	})
}
