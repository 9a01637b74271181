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
	ListSheets = declare(Operation{
		ID: "list-sheets", Method: get, Path: "/sheets", Right: rights.Look, Budget: Small,
		Summary: "Sealed sheets, the latest first, without what is sealed",
	})
	ShowSheet = declare(Operation{
		ID: "show-sheet", Method: get, Path: "/sheets/{name}", Right: rights.Look, Budget: Small,
		Summary: "A sealed sheet, without what is sealed, with what became of its passwords",
	})
	MakeSheet = declare(Operation{
		ID: "make-sheet", Method: post, Path: "/sheets", Right: rights.Reveal, Budget: Edit,
		Action: "sheet.made", Status: created,
		Summary: "Seal passwords of some devices for use without the service, with a reason, shortly after signing in",
	})
	DecideSheet = declare(Operation{
		ID: "decide-sheet", Method: post, Path: "/sheets/{name}/decision", Right: rights.Reveal, Budget: Small,
		Action: "sheet.decided", Status: noContent,
		Decides: true,
		Summary: "Approve a sealed sheet that somebody else asked for, or decline it",
	})
	CollectSheet = declare(Operation{
		ID: "collect-sheet", Method: post, Path: "/sheets/{name}/sealed", Right: rights.Reveal, Budget: Edit,
		Action:  "sheet.made",
		Summary: "Have a sealed sheet made that a second person approved",
	})
)
