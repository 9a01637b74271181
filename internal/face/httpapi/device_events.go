package httpapi

import (
	"context"
	"encoding/json"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/room/reporting"
	"rankwarden.example/internal/store"
)

// viewEvent shows an event in words, with the fields that the words were made of.
func viewEvent(e store.DeviceEvent) api.Event {
	return api.Event{
		ID:       e.ID,
		Device:   e.Device,
		DeviceID: e.DeviceID,
		At:       e.At,
		Kind:     e.Kind,
		Unit:     e.Unit,
		Subject:  e.Subject,
		Policy:   e.Policy,
		Words:    reporting.EventWords(e),
		Details: api.EventDetails{
			From:    anyOf(e.Details.From),
			To:      anyOf(e.Details.To),
			OldName: e.Details.OldName,
			NewName: e.Details.NewName,
			Number:  e.Details.Number,
			Time:    e.Details.Time,
			Reason:  string(e.Details.Reason),
			Error:   e.Details.Error,
		},
	}
}

// anyOf is stored JSON as a value, nil where there is none.
func anyOf(data json.RawMessage) any {
	var value any
	_ = json.Unmarshal(data, &value) // it was written by us
	return value
}

func (a *routes) deviceEventsRoutes() {
	register(a, operation.ListDeviceEvents, a.listDeviceEvents)
}

func (a *routes) listDeviceEvents(ctx context.Context, who rights.Identity, in *struct {
	PageQuery
	PastQuery
	Kind string `query:"kind" doc:"Such as member_removed"`
}) (*List[api.Event], error) {
	list, next, err := a.Reporting.Events(ctx, who, reporting.EventFilter{Past: in.past(), Kind: in.Kind}, in.page())
	return listOf(list, next, err, viewEvent)
}
