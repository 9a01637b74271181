package operation

import "rankwarden.example/core/rights"

// Sign-in with an identity provider.
var (
	SignInWays = declare(Operation{
		ID: "sign-in-ways", Method: get, Path: "/sign-in-ways", Right: rights.Anybody, Budget: Small,
		Summary: "How one signs in here",
	})
	BeginAtProvider = declare(Operation{
		ID: "begin-at-provider", Method: get, Path: "/provider/start", Right: rights.Anybody, Budget: Small,
		Summary: "Go to the identity provider to sign in",
	})
	FinishAtProvider = declare(Operation{
		ID: "finish-at-provider", Method: get, Path: "/provider/callback", Right: rights.Anybody, Budget: Small,
		Summary: "Come back from the identity provider",
	})
)
