package operation

import "rankwarden.example/core/rights"

// Groups of devices.
var (
	ListGroups = declare(Operation{
		ID: "list-groups", Method: get, Path: "/groups", Right: rights.Look, Budget: Small,
		Summary: "Groups by name",
	})
	CreateGroup = declare(Operation{
		ID: "create-group", Method: post, Path: "/groups", Right: rights.Deploy, Budget: Edit,
		Action: "group.made", Status: created,
		Gated:   true,
		Summary: "Create a group, listed or by a rule",
	})
	ShowGroup = declare(Operation{
		ID: "show-group", Method: get, Path: "/groups/{name}", Right: rights.Look, Budget: Small,
		Summary: "Show a group",
	})
	ListGroupDevices = declare(Operation{
		ID: "list-group-devices", Method: get, Path: "/groups/{name}/devices", Right: rights.Look, Budget: Small,
		Summary: "Names in a group",
	})
	EditGroup = declare(Operation{
		ID: "edit-group", Method: patch, Path: "/groups/{name}", Right: rights.Deploy, Budget: Edit,
		Action:  "group.changed",
		Gated:   true,
		Summary: "Edit a group: add or remove devices, change its rule or description",
	})
	TestRule = declare(Operation{
		ID: "test-rule", Method: post, Path: "/rule-trial", Right: rights.Look, Budget: Whole,
		Reads:   true,
		Summary: "Test a rule: list the devices that it would match, without saving it",
	})
	DeleteGroup = declare(Operation{
		ID: "delete-group", Method: remove, Path: "/groups/{name}", Right: rights.Deploy, Budget: Edit,
		Action: "group.removed", Status: noContent,
		Gated:   true,
		Summary: "Delete a group that no assignment names",
	})
)
