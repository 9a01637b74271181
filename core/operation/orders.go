package operation

import "rankwarden.example/core/rights"

// Orders to devices.
var (
	ListOrders = declare(Operation{
		ID: "list-orders", Method: get, Path: "/orders", Right: rights.Look, Budget: Small,
		Summary: "Orders, latest first",
	})
	SendOrder = declare(Operation{
		ID: "send-order", Method: post, Path: "/orders", Right: rights.Handle, Budget: Small,
		Action: "order.made", Status: created,
		Summary: "Send an order to devices; each waits for its device until it ends",
	})
	OrderProgress = declare(Operation{
		ID: "order-progress", Method: get, Path: "/order-progress/{name}", Right: rights.Look, Budget: Small,
		Summary: "Progress of orders that were sent together",
	})
)
