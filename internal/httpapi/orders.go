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
		CreatedAt: o.CreatedAt, EndsAt: o.EndsAt, NotBefore: o.NotBefore, Revealed: o.Revealed, DeliveredAt: o.DeliveredAt, FinishedAt: o.FinishedAt}
}

func (a *api) orders() {
	register(a, auth.Look, operation{method: http.MethodGet, path: "/orders", id: "list-orders", summary: "Orders, latest first"},
		func(ctx context.Context, who auth.Identity, in *struct {
			Paged
			PastQuery
		}) (*List[Order], error) {
			list, next, err := a.Service.Orders(ctx, who, in.past(), in.page())
			return listOf(list, next, err, viewOrder)
		})
	register(a, auth.Handle, operation{method: http.MethodPost, path: "/orders", id: "give-order", summary: "Give devices an order; each waits for its device until it ends", status: http.StatusCreated, action: "order.made"},
		func(ctx context.Context, who auth.Identity, in *struct{ Body NewOrder }) (*struct{ Body OrderProgress }, error) {
			batch, err := a.Service.Order(ctx, who, service.NewOrder(in.Body))
			return &struct{ Body OrderProgress }{OrderProgress(batch)}, err
		})
	register(a, auth.Look, operation{method: http.MethodGet, path: "/order-progress/{name}", id: "order-progress", summary: "How far the orders are that were given together"},
		func(ctx context.Context, who auth.Identity, in *Named) (*struct{ Body OrderProgress }, error) {
			batch, err := a.Service.OrderProgress(ctx, who, in.Name)
			return &struct{ Body OrderProgress }{OrderProgress(batch)}, err
		})
}
