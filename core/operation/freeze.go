package operation

import "rankwarden.example/core/rights"

// Freezing the service.
var (
	ListFreezes = declare(Operation{
		ID: "list-freezes", Method: get, Path: "/freezes", Right: rights.Look, Budget: Small,
		Summary: "Freezes in force; none while everything goes on",
	})
	Freeze = declare(Operation{
		ID: "freeze", Method: post, Path: "/freezes", Right: rights.Deploy, Budget: Small,
		Action:  "service.frozen",
		Summary: "Stop rollouts, or settling too, everywhere and at once",
	})
	Thaw = declare(Operation{
		ID: "thaw", Method: post, Path: "/thaw", Right: rights.Deploy, Budget: Small,
		Action:  "service.thawed",
		Summary: "Let everything that is frozen go on",
	})
)
