package httpapi

import (
	"context"
	"net/http"

	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/service"
	"rankwarden.example/internal/store"
)

func viewOrder(o store.Order) Order {
	return Order{ID: o.ID, Device: o.Device, DeviceID: o.DeviceID, Kind: o.Kind, Subject: o.Subject, State: o.State, Detail: o.Detail, CreatedBy: o.CreatedBy,
		CreatedAt: o.CreatedAt, EndsAt: o.EndsAt, DeliveredAt: o.DeliveredAt, FinishedAt: o.FinishedAt}
}

func (a *api) orders() {
	register(a, operation{method: http.MethodGet, path: "/orders", id: "list-orders", summary: "Orders, latest first"},
		func(ctx context.Context, _ auth.Identity, in *struct {
			Paged
			Device string `query:"device" doc:"Identifier or name"`
		}) (*List[Order], error) {
			list, next, err := a.Service.Orders(ctx, in.Device, in.page())
			return listOf(list, next, err, viewOrder)
		})
	type given struct {
		Body struct {
			Given int `json:"given" doc:"Devices that have the order now"`
		}
	}
	register(a, operation{method: http.MethodPost, path: "/orders", id: "give-order", summary: "Give devices an order; each waits for its device until it ends", status: http.StatusCreated},
		func(ctx context.Context, who auth.Identity, in *struct{ Body NewOrder }) (*given, error) {
			n, err := a.Service.Order(ctx, who, service.NewOrder(in.Body))
			out := &given{}
			out.Body.Given = n
			return out, err
		})
}
