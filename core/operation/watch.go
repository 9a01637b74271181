package operation

import "rankwarden.example/core/rights"

// Watch, and what changes.
var (
	StandingHistory = declare(Operation{
		ID: "standing-history", Method: get, Path: "/standing-history", Right: rights.Look, Budget: Small,
		Summary: "How devices stood, hour by hour",
	})
	Watch = declare(Operation{
		ID: "watch", Method: get, Path: "/watch", Right: rights.Look, Budget: Small,
		Summary: "Standings of the fleet now",
	})
	ListHeldSettings = declare(Operation{
		ID: "list-held-settings", Method: get, Path: "/held-settings", Right: rights.Look, Budget: Small,
		Summary: "Settings that are held, by reason, most devices first",
	})
	ListLockedAccounts = declare(Operation{
		ID: "list-locked-accounts", Method: get, Path: "/locked-accounts", Right: rights.Look, Budget: Small,
		Summary: "Accounts that are locked after wrong passwords, by device",
	})
	Events = declare(Operation{
		ID: "events", Method: get, Path: "/events", Right: rights.Look, Budget: Stream,
		Summary: "What changes, as server-sent events named \"change\"",
	})
)
