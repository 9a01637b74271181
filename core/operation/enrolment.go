package operation

import "rankwarden.example/core/rights"

// Enrolment tokens.
var (
	ListEnrolmentTokens = declare(Operation{
		ID: "list-enrolment-tokens", Method: get, Path: "/enrolment-tokens", Right: rights.Administer, Budget: Small,
		Summary: "Enrolment tokens, newest first",
	})
	CreateEnrolmentToken = declare(Operation{
		ID: "create-enrolment-token", Method: post, Path: "/enrolment-tokens", Right: rights.Administer, Budget: Small,
		Action: "enrolment.token_made", Status: created,
		Summary: "Create an enrolment token",
	})
	RevokeEnrolmentToken = declare(Operation{
		ID: "revoke-enrolment-token", Method: remove, Path: "/enrolment-tokens/{name}", Right: rights.Administer,
		Budget: Small,
		Action: "enrolment.token_revoked", Status: noContent,
		Summary: "Revoke an enrolment token, by id",
	})
)
