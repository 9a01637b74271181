package operation

import "rankwarden.example/core/rights"

// Settings of the service.
var (
	ListSettings = declare(Operation{
		ID: "list-settings", Method: get, Path: "/settings", Right: rights.Administer, Budget: Small,
		Summary: "How the service is configured, without secrets",
	})
)
