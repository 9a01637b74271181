package devices

import (
	"context"
	"encoding/json"
	"errors"
	"net/url"
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/present"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

// maxEventText is the longest text of an event, in bytes.
const maxEventText = 4000

// TakeEvents stores what happened on a device, and gives the number of the last event that is
// durable now. Events that were stored before stay as they are.
func (s *Service) TakeEvents(ctx context.Context, device string, epoch int64, events []drift.Event) (int64, error) {
	if len(events) > protocol.MaxEvents {
		return 0, refusal.New(refusal.Invalid, "%d events are too many for one check-in; send at most %d", len(events),
			protocol.MaxEvents).
			WithCode(protocol.CodeBadEvents)
	}
	records := make([]store.DeviceEvent, len(events))
	last, now := int64(0), s.Now()
	for i, e := range events {
		switch {
		case e.Seq <= last:
			return 0, refusal.New(refusal.Invalid, "event %d follows event %d; they must come in order, from 1", e.Seq,
				last).
				WithCode(protocol.CodeBadEvents)
		case !slices.Contains(drift.EventKinds, e.Kind):
			return 0, refusal.New(refusal.Invalid, "there is no event %q", e.Kind).WithCode(protocol.CodeBadEvents)
		case e.At.IsZero() || e.Size() > maxEventText:
			return 0, refusal.New(refusal.Invalid, "event %d says no time, or more than %d bytes", e.Seq, maxEventText).
				WithCode(protocol.CodeBadEvents)
		}
		last = e.Seq
		records[i] = store.DeviceEvent{
			DeviceID:   device,
			Epoch:      epoch,
			Seq:        e.Seq,
			At:         earlier(e.At, now),
			ReceivedAt: now,
			Kind:       string(e.Kind),
			Unit:       e.Unit.String(),
			Subject:    e.Subject,
			Details:    e.Details,
		}
	}
	return last, s.Do(ctx, uow.ByDevice(device), func(tx Records, w *uow.Work) error {
		if err := s.nameRules(tx, device, records); err != nil {
			return err
		}
		if err := tx.AddEvents(records); err != nil {
			return err
		}
		if err := s.contested(tx, device, records); err != nil {
			return err
		}
		if err := s.tellAccounts(tx, device, events); err != nil {
			return err
		}
		w.Tell(store.TopicReports, device)
		return nil
	})
}

// contested has it told that somebody keeps changing back on a device what guards the ways into it.
func (s *Service) contested(tx Records, device string, events []store.DeviceEvent) error {
	for _, e := range events {
		id, err := unit.Parse(e.Unit)
		if e.Kind != string(drift.RepeatedlyReverted) || err != nil || !id.Guards() {
			continue
		}
		d, err := tx.Device(s.Clock(), device, "")
		if err != nil {
			return err
		}
		n := store.Notification{Kind: store.ContestedBySomebody, At: e.At, Urgent: true,
			Words: present.Contested(d.Name, id, e.Details.SignedIn)}
		if err := s.tell(tx, device, d.Name, n, map[string]any{"setting": e.Unit,
			"signed_in": e.Details.SignedIn}); err != nil {
			return err
		}
	}
	return nil
}

// tell has something told of a device, with data beside which device it is.
func (s *Service) tell(tx Records, device, name string, n store.Notification, data map[string]any) error {
	data["device"], data["device_id"] = name, device
	encoded, err := json.Marshal(data)
	if err != nil {
		return err
	}
	n.ID, n.Subject, n.DeviceID, n.Data = store.NewID(s.Now()), name, device, string(encoded)
	n.Path = "/devices/" + url.PathEscape(name)
	return tx.AddNotification(n)
}

// earlier bounds what a device says of time by when that came here: its clock may be a day ahead, or lie.
func earlier(said, received time.Time) time.Time {
	if said.After(received) {
		return received
	}
	return said
}

// nameRules notes on events of settings which policy asks for the setting now.
func (s *Service) nameRules(tx Records, device string, events []store.DeviceEvent) error {
	digest, err := tx.ScopeOf(device)
	if errors.Is(err, store.ErrNotFound) || digest == "" {
		return nil
	}
	if err != nil {
		return err
	}
	for i, e := range events {
		id, err := unit.Parse(e.Unit)
		if err != nil {
			continue // some concern no setting
		}
		if events[i].Policy, err = s.Scopes.PoliciesFor(tx, digest, id); err != nil {
			return err
		}
	}
	return nil
}
