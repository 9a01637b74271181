package operation

import "rankwarden.example/core/rights"

// Policies.
var (
	ListPolicies = declare(Operation{
		ID: "list-policies", Method: get, Path: "/policies", Right: rights.Look, Budget: Small,
		Summary: "Policies by name, with where each is used and how its devices stand",
	})
	CreatePolicy = declare(Operation{
		ID: "create-policy", Method: post, Path: "/policies", Right: rights.Draft, Budget: Small,
		Action: "policy.saved", Status: created,
		Summary: "Create a policy by its first draft; the document names it",
	})
	CheckPolicy = declare(Operation{
		ID: "check-policy", Method: post, Path: "/policy-check", Right: rights.Look, Budget: Whole,
		Reads:   true,
		Summary: "Check a document without storing it, and describe it in words",
	})
	DraftPolicy = declare(Operation{
		ID: "draft-policy", Method: post, Path: "/policy-draft", Right: rights.Draft, Budget: Whole,
		Reads:   true,
		Summary: "Draft a policy from what the devices of a group have in common, without storing it",
	})
	ShowPolicy = declare(Operation{
		ID: "show-policy", Method: get, Path: "/policies/{name}", Right: rights.Look, Budget: Small,
		Summary: "Show a policy with its draft",
	})
	SavePolicy = declare(Operation{
		ID: "save-policy", Method: put, Path: "/policies/{name}", Right: rights.Draft, Budget: Small,
		Action:  "policy.saved",
		Summary: "Save the draft of a policy",
	})
	PublishPolicy = declare(Operation{
		ID: "publish-policy", Method: post, Path: "/policies/{name}/publish", Right: rights.Deploy, Budget: Edit,
		Action:  "policy.published",
		Gated:   true,
		Summary: "Publish the draft as the next revision, for every assignment of the policy at once",
	})
	DeletePolicy = declare(Operation{
		ID: "delete-policy", Method: remove, Path: "/policies/{name}", Right: rights.Deploy, Budget: Edit,
		Action: "policy.removed", Status: noContent,
		Summary: "Delete a policy that no assignment, no open change and no rollout under way uses, with its revisions",
	})
	ListRevisions = declare(Operation{
		ID: "list-revisions", Method: get, Path: "/policies/{name}/revisions", Right: rights.Look, Budget: Small,
		Summary: "Published revisions, newest first",
	})
	ShowRevision = declare(Operation{
		ID: "show-revision", Method: get, Path: "/policies/{name}/revisions/{number}", Right: rights.Look,
		Budget:  Small,
		Summary: "Show a published document",
	})
)
