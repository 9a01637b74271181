package operation

import "rankwarden.example/core/rights"

// Operators and their API tokens.
var (
	ListRoles = declare(Operation{
		ID: "list-roles", Method: get, Path: "/roles", Right: rights.SignedIn, Budget: Small,
		Summary: "List the roles with what each may do",
	})
	ListOperators = declare(Operation{
		ID: "list-operators", Method: get, Path: "/operators", Right: rights.Administer, Budget: Small,
		Summary: "Operators by name",
	})
	CreateOperator = declare(Operation{
		ID: "create-operator", Method: post, Path: "/operators", Right: rights.Administer, Budget: Small,
		Action: "operator.added", Status: created,
		Summary: "Create an operator",
	})
	EditOperator = declare(Operation{
		ID: "edit-operator", Method: patch, Path: "/operators/{name}", Right: rights.Administer, Budget: Small,
		Action:  "operator.changed",
		Summary: "Edit an operator: roles, password, or whether they may sign in",
	})
	ListTokens = declare(Operation{
		ID: "list-tokens", Method: get, Path: "/tokens", Right: rights.SignedIn, Budget: Small,
		Summary: "Your own API tokens, newest first; for owners also everybody's",
	})
	CreateToken = declare(Operation{
		ID: "create-token", Method: post, Path: "/tokens", Right: rights.SignedIn, Budget: Small,
		Action: "token.made", SessionOnly: true, Status: created,
		Summary: "Create an API token with your rights or fewer",
	})
	RevokeToken = declare(Operation{
		ID: "revoke-token", Method: remove, Path: "/tokens/{name}", Right: rights.SignedIn, Budget: Small,
		Action: "token.revoked", Status: noContent,
		Summary: "Revoke one of your API tokens, by id; for owners anybody's",
	})
)
