package notify

import (
	"context"
	"encoding/json"
	"errors"
	"sync"
	"time"

	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/kit/doubling"
	"rankwarden.example/internal/kit/supervise"
	"rankwarden.example/internal/kit/tracing"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/transport"
)

const (
	// deliverBatch is how many deliveries to a target are tried in one go.
	deliverBatch = 50
	// lease is how long a replica has for one go; then another one may deliver.
	lease = 15 * time.Minute
	// givenUpAfter is how long a delivery is tried.
	givenUpAfter = 48 * time.Hour
)

// backoff is the time until the next attempt after some failures in a row.
var backoff = doubling.Wait{First: 10 * time.Second, Longest: time.Hour}

// DeliverLoop delivers until the context ends. Each target has its own course, so that none waits for another. Any
// number of replicas may run it.
func (s *Service) DeliverLoop(ctx context.Context) {
	const every = 2 * time.Second // for what is to be tried again
	waiting := s.Hub.Subscribe(store.TopicDeliveries)
	defer waiting.Close()
	var going sync.WaitGroup
	defer going.Wait()
	for {
		due, err := s.Read(ctx).DueTargets(s.Now())
		if err != nil && ctx.Err() == nil {
			s.Log.Error("it cannot be read what is to deliver; it will be tried again", "error", err)
		}
		for _, id := range due {
			going.Add(1)
			supervise.Go(s.Log, "delivering", func() {
				defer going.Done()
				if err := s.deliver(ctx, id); err != nil && ctx.Err() == nil {
					s.Log.Error("deliveries failed; they will be tried again", "target", id, "error", err)
				}
			})
		}
		select {
		case <-ctx.Done():
			return
		case <-waiting.Ready:
			waiting.Drain()
		case <-time.After(every):
		}
	}
}

// deliver delivers what waits for a target, unless a replica does so already.
func (s *Service) deliver(ctx context.Context, id string) error {
	var t store.NotificationTarget
	mine := false
	err := s.Do(ctx, uow.Upkeep(), func(tx Records, _ *uow.Work) (err error) {
		now := s.Now()
		t, mine, err = tx.LeaseTarget(id, now, now.Add(lease))
		return err
	})
	if err != nil || !mine {
		return err
	}
	for {
		more, err := s.deliverSome(ctx, &t)
		if err != nil || !more || ctx.Err() != nil || s.Now().After(t.LeasedTo.Add(-lease/2)) {
			ending, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
			defer cancel()
			t.LeasedTo = s.Now().Add(-time.Second)
			return errors.Join(err, s.Do(ending, uow.Upkeep(), func(tx Records, w *uow.Work) error {
				w.Tell(store.TopicDeliveries)
				return tx.EndLease(t)
			}))
		}
	}
}

// deliverSome delivers some of what waits, and says whether to go on.
func (s *Service) deliverSome(ctx context.Context, t *store.NotificationTarget) (more bool, err error) {
	list, err := s.Read(ctx).WaitingDeliveries(t.ID, deliverBatch)
	if err != nil || len(list) == 0 {
		return false, err
	}
	sender, err := s.sender(*t)
	sent := 0
	if err == nil {
		sending, span := tracing.Tracer().Start(ctx, "deliver: "+t.Kind)
		sent, err = sender.Send(sending, s.messages(list))
		tracing.Failed(span, err)
		span.End()
	}
	if ctx.Err() != nil && sent == 0 {
		return false, nil // the service stops; nothing is known of what the receiver took
	}
	now := s.Now()
	stored, cancel := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second)
	defer cancel()
	return err == nil && len(list) == deliverBatch || isRejected(err), s.Do(stored, uow.Upkeep(),
		func(tx Records, _ *uow.Work) error { return s.recordDeliveries(tx, t, list, sent, err, now) })
}

func isRejected(err error) bool {
	_, is := errors.AsType[*transport.Rejected](err)
	return is
}

// recordDeliveries notes what came of an attempt: sent deliveries arrived, and why the next did not.
func (s *Service) recordDeliveries(
	tx Records, t *store.NotificationTarget, list []store.Delivery, sent int, why error, now time.Time,
) error {
	if sent > 0 {
		ids := make([]int64, sent)
		for i := range ids {
			ids[i] = list[i].ID
		}
		t.Failures, t.Error, t.DeliveredAt = 0, "", &now
		if err := tx.EndDeliveries(ids, store.DeliveryDelivered, "", now); err != nil {
			return err
		}
	}
	switch {
	case why == nil:
		return nil
	case isRejected(why):
		t.Error = why.Error()
		return tx.EndDeliveries([]int64{list[sent].ID}, store.DeliveryFailed, why.Error(), now)
	}
	t.Failures++
	t.Error, t.NextAt = why.Error(), now.Add(backoff.After(t.Failures))
	if err := tx.DeliveryFailed(list[sent].ID, why.Error()); err != nil {
		return err
	}
	return tx.GiveUpDeliveries(t.ID, "given up after two days: "+why.Error(), now.Add(-givenUpAfter), now)
}

func (s *Service) messages(list []store.Delivery) []transport.Message {
	messages := make([]transport.Message, len(list))
	for i, d := range list {
		messages[i] = s.message(d.Notification)
	}
	return messages
}

func (s *Service) message(n store.Notification) transport.Message {
	m := transport.Message{ID: n.ID, Kind: n.Kind, At: n.At, Subject: n.Subject, Words: n.Words, Urgent: n.Urgent,
		Data: json.RawMessage(n.Data)}
	if n.Kind == CheckpointSigned {
		m.Line = n.Data // the document that proves the trail
	}
	if s.PublicURL != "" && n.Path != "" {
		m.Link = s.PublicURL + n.Path
	}
	return m
}
