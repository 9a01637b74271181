package operation

import "rankwarden.example/core/rights"

// Tokens for programs without a browser (RFC 8628).
var (
	ShowDeviceGrant = declare(Operation{
		ID: "show-device-grant", Method: get, Path: "/device-grants/{code}", Right: rights.SignedIn, Budget: Small,
		Summary: "A program that waits for a token, by the code that it shows",
	})
	DecideDeviceGrant = declare(Operation{
		ID: "decide-device-grant", Method: post, Path: "/device-grants/{code}/decision", Right: rights.SignedIn,
		Budget: Small,
		Action: "device_grant.decided", SessionOnly: true, Status: noContent,
		Summary: "Let a program act as you, or refuse it",
	})
	AskForToken = declare(Operation{
		ID: "ask-for-token", Method: post, Path: "/device-authorization", Right: rights.Anybody, Budget: Small,
		Action:  "device_grant.asked",
		Summary: "Ask for a token as a program without a browser (RFC 8628)",
	})
	TakeToken = declare(Operation{
		ID: "take-token", Method: post, Path: "/device-token", Right: rights.Anybody, Budget: Small,
		Action:  "token.taken",
		Summary: "Take the token that a person allowed (RFC 8628)",
	})
)
