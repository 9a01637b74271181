package operation

import "rankwarden.example/core/rights"

// What is there: local accounts, and who is in local groups.
var (
	ListAccounts = declare(Operation{
		ID: "list-accounts", Method: get, Path: "/accounts", Right: rights.Look, Budget: Whole,
		Summary: "Names of local accounts, with how many devices have one",
	})
	ListAccountDevices = declare(Operation{
		ID: "list-account-devices", Method: get, Path: "/account-devices", Right: rights.Look, Budget: Small,
		Summary: "Devices that have a local account of one name",
	})
	ListLeftBehind = declare(Operation{
		ID: "list-left-behind", Method: get, Path: "/left-behind-accounts", Right: rights.Look, Budget: Small,
		Summary: "Local accounts that a policy managed once and none does any more",
	})
	PreviewAccountOrder = declare(Operation{
		ID: "preview-account-order", Method: post, Path: "/account-order-previews", Right: rights.Deploy,
		Budget: Whole, Reads: true,
		Summary: "What an order to disable or remove a local account would do; it alters nothing",
	})
	OrderAccount = declare(Operation{
		ID: "order-account", Method: post, Path: "/account-orders", Right: rights.Deploy, Budget: Small,
		Action: "order.made", Status: created,
		Summary: "Order devices to disable or remove a local account that no policy manages",
	})
	ListMemberships = declare(Operation{
		ID: "list-memberships", Method: get, Path: "/memberships", Right: rights.Look, Budget: Small,
		Summary: "On which devices somebody is in local groups whose members can take the device over, or in any",
	})
	DeviceAdministrators = declare(Operation{
		ID: "device-administrators", Method: get, Path: "/devices/{name}/administrators", Right: rights.Look,
		Budget:  Small,
		Summary: "Who is in local groups of a device whose members can take it over",
	})
	DeviceInventoryChanges = declare(Operation{
		ID: "device-inventory-changes", Method: get, Path: "/devices/{name}/inventory-changes", Right: rights.Look,
		Budget:  Small,
		Summary: "What changed in the accounts and members of a device in the last year, latest first",
	})
)
