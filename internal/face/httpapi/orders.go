package httpapi

import (
	"context"
	"net/http"

	"rankwarden.example/api"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/room/devices"
	"rankwarden.example/internal/store"
)

func viewOrder(o store.Order) api.Order {
	return api.Order{
		ID:          o.ID,
		Device:      o.Device,
		DeviceID:    o.DeviceID,
		Kind:        o.Kind,
		Subject:     o.Subject,
		State:       o.State,
		Detail:      o.Detail,
		CreatedBy:   o.CreatedBy,
		CreatedAt:   o.CreatedAt,
		EndsAt:      o.EndsAt,
		NotBefore:   o.NotBefore,
		Revealed:    o.Revealed,
		DeliveredAt: o.DeliveredAt,
		FinishedAt:  o.FinishedAt,
	}
}

func (a *routes) orders() {
	register(
		a,
		rights.Look,
		operation{method: http.MethodGet, path: "/orders", id: "list-orders", summary: "Orders, latest first"},
		func(ctx context.Context, who rights.Identity, in *struct {
			PageQuery
			PastQuery
		}) (*List[api.Order], error) {
			list, next, err := a.Devices.Orders(ctx, who, in.past(), in.page())
			return listOf(list, next, err, viewOrder)
		},
	)
	register(
		a,
		rights.Handle,
		operation{
			method:  http.MethodPost,
			path:    "/orders",
			id:      "send-order",
			summary: "Send an order to devices; each waits for its device until it ends",
			status:  http.StatusCreated,
			action:  "order.made",
		},
		func(ctx context.Context, who rights.Identity, in *struct{ Body api.NewOrder }) (*struct{ Body api.OrderProgress }, error) {
			batch, err := a.Devices.Order(ctx, who, devices.NewOrder(in.Body))
			return &struct{ Body api.OrderProgress }{api.OrderProgress(batch)}, err
		},
	)
	register(
		a,
		rights.Look,
		operation{
			method:  http.MethodGet,
			path:    "/order-progress/{name}",
			id:      "order-progress",
			summary: "Progress of orders that were sent together",
		},
		func(ctx context.Context, who rights.Identity, in *NamePath) (*struct{ Body api.OrderProgress }, error) {
			batch, err := a.Devices.OrderProgress(ctx, who, in.Name)
			return &struct{ Body api.OrderProgress }{api.OrderProgress(batch)}, err
		},
	)
}
