package httpapi

import (
	"context"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/room/devices"
	"rankwarden.example/internal/store"
)

// viewOrder shows an order with how it stands.
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

func (a *routes) ordersRoutes() {
	register(a, operation.ListOrders, a.listOrders)
	register(a, operation.SendOrder, a.sendOrder)
	register(a, operation.OrderProgress, a.orderProgress)
	a.accountOrdersRoutes()
}

func (a *routes) listOrders(ctx context.Context, who rights.Identity, in *struct {
	PageQuery
	PastQuery
}) (*List[api.Order], error) {
	list, next, err := a.Devices.Orders(ctx, who, in.past(), in.page())
	return listOf(list, next, err, viewOrder)
}

func (a *routes) sendOrder(
	ctx context.Context, who rights.Identity, in *struct{ Body api.NewOrder },
) (*struct{ Body api.OrderProgress }, error) {
	batch, err := a.Devices.Order(ctx, who, devices.NewOrder(in.Body))
	return &struct{ Body api.OrderProgress }{api.OrderProgress(batch)}, err
}

func (a *routes) orderProgress(
	ctx context.Context, who rights.Identity, in *NamePath,
) (*struct{ Body api.OrderProgress }, error) {
	batch, err := a.Devices.OrderProgress(ctx, who, in.Name)
	return &struct{ Body api.OrderProgress }{api.OrderProgress(batch)}, err
}
