package httpapi

import (
	"context"
	"net/http"

	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/service"
	"rankwarden.example/internal/store"
)

func viewEvent(e store.DeviceEvent) DeviceEvent {
	return DeviceEvent{ID: e.ID, Device: e.Device, DeviceID: e.DeviceID, At: e.At, Kind: e.Kind, Unit: e.Unit, Subject: e.Subject, Before: e.Before, After: e.After, Policy: e.Policy, Words: service.EventWords(e)}
}

func (a *api) deviceEvents() {
	register(a, auth.Look, operation{method: http.MethodGet, path: "/device-events", id: "list-device-events", summary: "What happened on devices, latest first"},
		func(ctx context.Context, who auth.Identity, in *struct {
			Paged
			PastQuery
			Kind string `query:"kind" doc:"Such as member_removed"`
		}) (*List[DeviceEvent], error) {
			list, next, err := a.Service.Events(ctx, who, service.EventFilter{Past: in.past(), Kind: in.Kind}, in.page())
			return listOf(list, next, err, viewEvent)
		})
}
