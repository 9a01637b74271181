package operation

import "rankwarden.example/core/rights"

// The second factor of an operator.
var (
	ShowSecondFactor = declare(Operation{
		ID: "show-second-factor", Method: get, Path: "/second-factor", Right: rights.SignedIn, Budget: Small,
		Summary: "Your own second factor, without its secret",
	})
	BeginSecondFactor = declare(Operation{
		ID: "begin-second-factor", Method: post, Path: "/second-factor", Right: rights.SignedIn, Budget: Small,
		Action: "second_factor.begun", SessionOnly: true,
		Summary: "Make a secret for one-time codes; it counts once a code of it is confirmed",
	})
	ConfirmSecondFactor = declare(Operation{
		ID: "confirm-second-factor", Method: post, Path: "/second-factor/confirm", Right: rights.SignedIn,
		Budget: Small,
		Action: "second_factor.on", SessionOnly: true,
		Summary: "Turn the second factor on with a first code; the answer has the recovery codes",
	})
	MakeRecoveryCodes = declare(Operation{
		ID: "make-recovery-codes", Method: post, Path: "/second-factor/recovery-codes", Right: rights.SignedIn,
		Budget: Small,
		Action: "second_factor.codes_made", SessionOnly: true,
		Summary: "Replace the recovery codes",
	})
	RemoveSecondFactor = declare(Operation{
		ID: "remove-second-factor", Method: post, Path: "/second-factor/remove", Right: rights.SignedIn, Budget: Small,
		Action: "second_factor.off", SessionOnly: true, Status: noContent,
		Summary: "Take your second factor away",
	})
)
