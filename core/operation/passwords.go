package operation

import "rankwarden.example/core/rights"

// Passwords, views of them and approvals.
var (
	ListPasswords = declare(Operation{
		ID: "list-passwords", Method: get, Path: "/passwords", Right: rights.Look, Budget: Small,
		Summary: "Passwords that devices change, by device, without the passwords",
	})
	DevicePasswords = declare(Operation{
		ID: "device-passwords", Method: get, Path: "/devices/{name}/passwords", Right: rights.Look, Budget: Small,
		Summary: "Passwords of one device with their deposits, without the passwords",
	})
	RevealPassword = declare(Operation{
		ID: "reveal-password", Method: post, Path: "/devices/{name}/reveal", Right: rights.Reveal, Budget: Small,
		Action:  "password.revealed",
		Summary: "Show a password, with a reason, shortly after signing in",
	})
	ListReveals = declare(Operation{
		ID: "list-reveals", Method: get, Path: "/reveals", Right: rights.Look, Budget: Small,
		Summary: "Views of passwords, latest first",
	})
	ListApprovals = declare(Operation{
		ID: "list-approvals", Method: get, Path: "/approvals", Right: rights.Look, Budget: Small,
		Summary: "List reveals that wait for a second person, latest first",
	})
	DecideApproval = declare(Operation{
		ID: "decide-approval", Method: post, Path: "/approvals/{name}", Right: rights.Reveal, Budget: Small,
		Action: "reveal.decided", Status: noContent,
		Decides: true,
		Summary: "Approve a reveal that somebody else asked for, or decline it",
	})
)
