package service

import (
	"context"
	"errors"
	"slices"
	"strings"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/present"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire"
)

// maxEventText is the longest text of an event, in bytes.
const maxEventText = 4000

// TakeEvents stores what happened on a device, and gives the number of the last event that is
// durable now. Events that were stored before stay as they are.
func (s *Service) TakeEvents(ctx context.Context, device string, epoch int64, events []drift.Event) (int64, error) {
	if len(events) > wire.MaxEvents {
		return 0, failf(Invalid, "%d events are too many for one check-in; send at most %d", len(events), wire.MaxEvents).code("bad_events")
	}
	records := make([]store.DeviceEvent, len(events))
	last, now := int64(0), s.Now()
	for i, e := range events {
		switch {
		case e.Seq <= last:
			return 0, failf(Invalid, "event %d follows event %d; they must come in order, from 1", e.Seq, last).code("bad_events")
		case !slices.Contains(drift.EventKinds, e.Kind):
			return 0, failf(Invalid, "there is no event %q", e.Kind).code("bad_events")
		case e.At.IsZero() || e.Size() > maxEventText:
			return 0, failf(Invalid, "event %d says no time, or more than %d bytes", e.Seq, maxEventText).code("bad_events")
		}
		last = e.Seq
		records[i] = store.DeviceEvent{DeviceID: device, Epoch: epoch, Seq: e.Seq, At: e.At, ReceivedAt: now, Kind: string(e.Kind), Unit: e.Unit.String(),
			Subject: e.Subject, Details: e.Details}
	}
	return last, s.InTx(ctx, func(tx store.Tx) error {
		if err := s.nameRules(tx, device, records); err != nil {
			return err
		}
		if err := tx.AddEvents(records); err != nil {
			return err
		}
		return tx.Notify(store.Notice{Topic: store.TopicReports, IDs: []string{device}})
	})
}

// nameRules notes on events of settings which policy asks for the setting now.
func (s *Service) nameRules(tx store.Tx, device string, events []store.DeviceEvent) error {
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
		if events[i].Policy, err = s.policyFor(tx, digest, id); err != nil {
			return err
		}
	}
	return nil
}

// nameMembers writes the names that the directory knows over identifiers of members that a device could not resolve.
func nameMembers(tx store.Tx, events []store.DeviceEvent) error {
	var sids []string
	for _, e := range events {
		if sid, ok := strings.CutPrefix(e.Subject, "sid:"); ok {
			sids = append(sids, sid)
		}
	}
	known, err := tx.DirectoryFor(nil, sids, nil)
	names := map[string]string{}
	for _, d := range known {
		names["sid:"+d.SID] = d.Ref
	}
	for i, e := range events {
		if name, ok := names[e.Subject]; ok {
			events[i].Subject = name
		}
	}
	return err
}

// EventFilter narrows a list of events. Empty fields do not.
type EventFilter struct {
	Past
	Kind string
}

// Events lists a page of what happened on devices, latest first.
func (s *Service) Events(ctx context.Context, who auth.Identity, f EventFilter, p store.Page) ([]store.DeviceEvent, string, error) {
	if f.Kind != "" && !slices.Contains(drift.EventKinds, drift.EventKind(f.Kind)) {
		return nil, "", unknown("kind", f.Kind, drift.EventKinds)
	}
	narrow, err := s.narrow(ctx, who, f.Past)
	if err != nil {
		return nil, "", err
	}
	db := s.Store.With(ctx)
	list, next, err := db.ListEvents(store.EventFilter{Narrow: narrow, Kind: f.Kind}, p)
	if err == nil {
		err = nameMembers(db, list)
	}
	return list, next, err
}

// EventWords says in one sentence what happened.
func EventWords(e store.DeviceEvent) string {
	id, _ := unit.Parse(e.Unit) // some concern no unit
	said := present.Event(drift.Event{Kind: drift.EventKind(e.Kind), Unit: id, Subject: e.Subject, Details: e.Details})
	if e.Policy != "" && ruled[drift.EventKind(e.Kind)] {
		said += ", by " + e.Policy
	}
	return said
}

// ruled are the kinds of event that a device brings about because a policy asks for it.
var ruled = map[drift.EventKind]bool{drift.ValueSet: true, drift.AccountCreated: true, drift.AccountAdopted: true, drift.AccountRenamed: true, drift.AccountEnabled: true,
	drift.AccountDisabled: true, drift.AccountDescribed: true, drift.AccountRemoved: true, drift.MemberAdded: true, drift.MemberRemoved: true}
