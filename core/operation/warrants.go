package operation

import "rankwarden.example/core/rights"

// Warrants: rights for a time.
var (
	ListWarrants = declare(Operation{
		ID: "list-warrants", Method: get, Path: "/warrants", Right: rights.Look, Budget: Small,
		Summary: "Warrants, the latest first",
	})
	ShowWarrant = declare(Operation{
		ID: "show-warrant", Method: get, Path: "/warrants/{name}", Right: rights.Look, Budget: Small,
		Summary: "A warrant, with its devices and whom it makes a member",
	})
	AskWarrant = declare(Operation{
		ID: "ask-warrant", Method: post, Path: "/warrants", Right: rights.AskOwn, Budget: Edit,
		Action: "warrant.asked", Status: created,
		Summary: "Ask that somebody is a member of a local group for a time",
	})
	DecideWarrant = declare(Operation{
		ID: "decide-warrant", Method: post, Path: "/warrants/{name}/decision", Right: rights.Deploy, Budget: Edit,
		Action:  "warrant.decided",
		Decides: true,
		Summary: "Agree to a warrant that somebody else asked for, or refuse it",
	})
	TakeBackWarrant = declare(Operation{
		ID: "take-back-warrant", Method: post, Path: "/warrants/{name}/end", Right: rights.AskOwn, Budget: Edit,
		Action:  "warrant.taken_back",
		Summary: "Take a warrant back before its end",
	})
)
