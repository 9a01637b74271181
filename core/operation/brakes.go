package operation

import "rankwarden.example/core/rights"

// What waits at the brake.
var (
	ListBrakes = declare(Operation{
		ID: "list-brakes", Method: get, Path: "/brakes", Right: rights.Look, Budget: Small,
		Summary: "Imports, rules and changes of facts that wait for a decision, the latest first",
	})
	ShowBrake = declare(Operation{
		ID: "show-brake", Method: get, Path: "/brakes/{name}", Right: rights.Look, Budget: Small,
		Summary: "Show what the brake holds, by identifier, with what it would do",
	})
	DecideBrake = declare(Operation{
		ID: "decide-brake", Method: post, Path: "/brakes/{name}/decision", Right: rights.Deploy, Budget: Small,
		Action:  "brake.decided",
		Decides: true,
		Summary: "Release what the brake holds, or refuse it",
	})
)
