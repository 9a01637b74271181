package operation

import "rankwarden.example/core/rights"

// Changes, with their edits and approval.
var (
	ListChanges = declare(Operation{
		ID: "list-changes", Method: get, Path: "/changes", Right: rights.Look, Budget: Small,
		Summary: "Changes, the latest altered first",
	})
	CreateChange = declare(Operation{
		ID: "create-change", Method: post, Path: "/changes", Right: rights.Draft, Budget: Small,
		Action: "change.created", Status: created,
		Summary: "Start an empty change",
	})
	ShowChange = declare(Operation{
		ID: "show-change", Method: get, Path: "/changes/{name}", Right: rights.Look, Budget: Small,
		Summary: "Show a change with its edits",
	})
	EditChange = declare(Operation{
		ID: "edit-change", Method: patch, Path: "/changes/{name}", Right: rights.Draft, Budget: Small,
		Action:  "change.edited",
		Summary: "Edit the title and reason of a change",
	})
	ChangeHistory = declare(Operation{
		ID: "change-history", Method: get, Path: "/changes/{name}/history", Right: rights.Look, Budget: Small,
		Summary: "What happened to a change, newest first",
	})
	AddEdit = declare(Operation{
		ID: "add-edit", Method: post, Path: "/changes/{name}/edits", Right: rights.Draft, Budget: Small,
		Action:  "change.edited",
		Summary: "Add an edit to a change; it takes the place of an earlier edit of the same thing",
	})
	DeleteEdit = declare(Operation{
		ID: "delete-edit", Method: remove, Path: "/changes/{name}/edits/{type}/{thing}", Right: rights.Draft,
		Budget:  Small,
		Action:  "change.edited",
		Summary: "Take the edit of one thing out of a change",
	})
	DropChange = declare(Operation{
		ID: "drop-change", Method: post, Path: "/changes/{name}/drop", Right: rights.Draft, Budget: Small,
		Action:  "change.dropped",
		Summary: "Drop a change; none of its edits is made",
	})
	ApplyChange = declare(Operation{
		ID: "apply-change", Method: post, Path: "/changes/{name}/apply", Right: rights.Deploy, Budget: Edit,
		Action:  "change.applied",
		Gated:   true,
		Summary: "Apply a change to all devices at once, or have it wait for a second person",
	})
	RevertChange = declare(Operation{
		ID: "revert-change", Method: post, Path: "/changes/{name}/revert", Right: rights.Draft, Budget: Small,
		Action: "change.created", Status: created,
		Summary: "Draft the opposite of a change that went out",
	})
	ChangeApprovers = declare(Operation{
		ID: "change-approvers", Method: get, Path: "/changes/{name}/approvers", Right: rights.Deploy, Budget: Small,
		Summary: "Who can approve a change that waits: operators by name",
	})
	DecideChange = declare(Operation{
		ID: "decide-change", Method: post, Path: "/changes/{name}/decision", Right: rights.Deploy, Budget: Small,
		Action:  "change.decided",
		Decides: true,
		Summary: "Approve or refuse a change that waits for a second person",
	})
)
