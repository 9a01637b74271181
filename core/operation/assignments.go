package operation

import "rankwarden.example/core/rights"

// Assignments.
var (
	ListAssignments = declare(Operation{
		ID: "list-assignments", Method: get, Path: "/assignments", Right: rights.Look, Budget: Small,
		Summary: "Assignments by rank and name",
	})
	CreateAssignment = declare(Operation{
		ID: "create-assignment", Method: post, Path: "/assignments", Right: rights.Deploy, Budget: Edit,
		Action: "assignment.made", Status: created,
		Gated:   true,
		Summary: "Assign the latest revision of a policy to groups",
	})
	ShowAssignment = declare(Operation{
		ID: "show-assignment", Method: get, Path: "/assignments/{name}", Right: rights.Look, Budget: Small,
		Summary: "Show an assignment",
	})
	EditAssignment = declare(Operation{
		ID: "edit-assignment", Method: put, Path: "/assignments/{name}", Right: rights.Deploy, Budget: Edit,
		Action:  "assignment.changed",
		Gated:   true,
		Summary: "Edit an assignment: its policy, groups, rank or stance",
	})
	DeleteAssignment = declare(Operation{
		ID: "delete-assignment", Method: remove, Path: "/assignments/{name}", Right: rights.Deploy, Budget: Edit,
		Action: "assignment.removed", Status: noContent,
		Gated:   true,
		Summary: "Delete an assignment; its devices are settled without it",
	})
)
