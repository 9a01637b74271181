package operation

import "rankwarden.example/core/rights"

// Passkeys.
var (
	ListPasskeys = declare(Operation{
		ID: "list-passkeys", Method: get, Path: "/passkeys", Right: rights.SignedIn, Budget: Small,
		Summary: "Your own passkeys; they are few",
	})
	BeginPasskey = declare(Operation{
		ID: "begin-passkey", Method: post, Path: "/passkeys/ceremony", Right: rights.SignedIn, Budget: Small,
		Action: "passkey.begun", SessionOnly: true,
		Summary: "Begin to make a passkey in the browser",
	})
	AddPasskey = declare(Operation{
		ID: "add-passkey", Method: post, Path: "/passkeys", Right: rights.SignedIn, Budget: Small,
		Action: "passkey.added", SessionOnly: true, Status: created,
		Summary: "Keep the passkey that the browser made",
	})
	RemovePasskey = declare(Operation{
		ID: "remove-passkey", Method: remove, Path: "/passkeys/{name}", Right: rights.SignedIn, Budget: Small,
		Action: "passkey.removed", SessionOnly: true, Status: noContent,
		Summary: "Remove one of your passkeys, by id",
	})
	BeginPasskeySignIn = declare(Operation{
		ID: "begin-passkey-sign-in", Method: post, Path: "/passkey-sign-in/ceremony", Right: rights.Anybody,
		Budget:  Small,
		Action:  "session.begun",
		Summary: "Begin to sign in with a passkey",
	})
	SignInWithPasskey = declare(Operation{
		ID: "sign-in-with-passkey", Method: post, Path: "/passkey-sign-in", Right: rights.Anybody, Budget: Small,
		Action:  "session.opened",
		Summary: "Sign in with a passkey; the answer sets a session cookie",
	})
	SignInAgainWithPasskey = declare(Operation{
		ID: "sign-in-again-with-passkey", Method: post, Path: "/session/fresh/passkey", Right: rights.SignedIn,
		Budget: Small,
		Action: "session.refreshed", SessionOnly: true, Status: noContent,
		Summary: "Sign in again with your passkey, so that for 15 minutes you may view passwords",
	})
)
