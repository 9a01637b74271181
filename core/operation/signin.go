package operation

import "rankwarden.example/core/rights"

// Sessions.
var (
	SignIn = declare(Operation{
		ID: "sign-in", Method: post, Path: "/session", Right: rights.Anybody, Budget: Small,
		Action:  "session.opened",
		Summary: "Sign in; the answer sets a session cookie",
	})
	Whoami = declare(Operation{
		ID: "whoami", Method: get, Path: "/session", Right: rights.SignedIn, Budget: Small,
		Summary: "Who is signed in",
	})
	SignInAgain = declare(Operation{
		ID: "sign-in-again", Method: post, Path: "/session/fresh", Right: rights.SignedIn, Budget: Small,
		Action: "session.refreshed", Status: noContent,
		Summary: "Sign in again, so that for 15 minutes you may view passwords",
	})
	ChangeOwnPassword = declare(Operation{
		ID: "change-own-password", Method: post, Path: "/session/password", Right: rights.SignedIn, Budget: Small,
		Action: "operator.password_changed", SessionOnly: true, Status: noContent,
		Summary: "Change your own password; your other sessions and your tokens end",
	})
	Tour = declare(Operation{
		ID: "tour", Method: get, Path: "/session/tour", Right: rights.SignedIn, Budget: Small, SessionOnly: true,
		Summary: "How far you have come with the tour of the console",
	})
	SetTour = declare(Operation{
		ID: "set-tour", Method: put, Path: "/session/tour", Right: rights.SignedIn, Budget: Small,
		Action: "operator.toured", SessionOnly: true, Status: noContent,
		Summary: "Keep how far you have come with the tour of the console",
	})
	SignOut = declare(Operation{
		ID: "sign-out", Method: remove, Path: "/session", Right: rights.SignedIn, Budget: Small,
		Action:  "session.closed",
		Summary: "End the session",
	})
)
