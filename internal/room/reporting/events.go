package reporting

import (
	"context"
	"slices"
	"strings"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/present"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/store"
)

// nameMembers writes the names that the directory knows over identifiers of members that a device could not resolve.
func nameMembers(tx Reads, events []store.DeviceEvent) error {
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
	reach.Past
	Kind string
}

// Events lists a page of what happened on devices, latest first.
func (s *Service) Events(
	ctx context.Context, who rights.Identity, f EventFilter, p store.Page,
) ([]store.DeviceEvent, string, error) {
	if f.Kind != "" && !slices.Contains(drift.EventKinds, drift.EventKind(f.Kind)) {
		return nil, "", refusal.Unknown("kind", f.Kind, drift.EventKinds)
	}
	narrow, err := reach.Narrow(s.Read(ctx), s.View, s.Clock(), who, f.Past)
	if err != nil {
		return nil, "", err
	}
	db := s.Read(ctx)
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
var ruled = map[drift.EventKind]bool{
	drift.ValueSet:         true,
	drift.AccountCreated:   true,
	drift.AccountAdopted:   true,
	drift.AccountRenamed:   true,
	drift.AccountCounts:    true,
	drift.AccountEnabled:   true,
	drift.AccountDisabled:  true,
	drift.AccountDescribed: true,
	drift.AccountRemoved:   true,
	drift.GroupCreated:     true,
	drift.GroupRemoved:     true,
	drift.MemberAdded:      true,
	drift.MemberRemoved:    true,
}
