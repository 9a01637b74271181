package operation

import "rankwarden.example/core/rights"

// Devices.
var (
	ListDevices = declare(Operation{
		ID: "list-devices", Method: get, Path: "/devices", Right: rights.Look, Budget: Small,
		Summary: "Devices by name",
	})
	DeviceStandings = declare(Operation{
		ID: "device-standings", Method: get, Path: "/device-standings", Right: rights.Look, Budget: Small,
		Summary: "Count devices by standing",
	})
	ShowDevice = declare(Operation{
		ID: "show-device", Method: get, Path: "/devices/{name}", Right: rights.Look, Budget: Small,
		Summary: "Show a device, by identifier or name",
	})
	DeviceWhy = declare(Operation{
		ID: "device-why", Method: get, Path: "/devices/{name}/why", Right: rights.Look, Budget: Small,
		Summary: "Desired, reported and decided by, for every setting of a device",
	})
	DevicePeople = declare(Operation{
		ID: "device-people", Method: get, Path: "/devices/{name}/people", Right: rights.Trail, Budget: Small,
		Summary: "Who may do what on a device: operators by name, with the roles that give it",
	})
	SettingHistory = declare(Operation{
		ID: "setting-history", Method: get, Path: "/devices/{name}/setting-history", Right: rights.Look, Budget: Small,
		Summary: "What happened to a setting of a device in the last 30 days, and who was there, latest first",
	})
	AcceptDevice = declare(Operation{
		ID: "accept-device", Method: post, Path: "/devices/{name}/accept", Right: rights.Administer, Budget: Small,
		Action: "device.accepted", Status: noContent,
		Summary: "Accept a device that waits for an owner; one that it claims to be is retired",
	})
	RefuseDevice = declare(Operation{
		ID: "refuse-device", Method: post, Path: "/devices/{name}/refuse", Right: rights.Administer, Budget: Small,
		Action: "device.refused", Status: noContent,
		Summary: "Refuse a device that waits for an owner",
	})
	RetireDevice = declare(Operation{
		ID: "retire-device", Method: post, Path: "/devices/{name}/retire", Right: rights.Administer, Budget: Small,
		Action: "device.retired", Status: noContent,
		Summary: "Retire a device, and say why; its passwords are kept until a day",
	})
	ReturnDevice = declare(Operation{
		ID: "return-device", Method: post, Path: "/devices/{name}/return", Right: rights.Administer, Budget: Small,
		Action: "device.returned", Status: noContent,
		Summary: "Take a retired device back; its passwords are changed",
	})
	DeviceHandover = declare(Operation{
		ID: "device-handover", Method: get, Path: "/devices/{name}/handover", Right: rights.Look, Budget: Edit,
		Summary: "What was in force on a device, who could get in and who saw which password, signed",
	})
	ListHandovers = declare(Operation{
		ID: "list-handovers", Method: get, Path: "/handovers", Right: rights.Look, Budget: Whole,
		Summary: "The same of every device of a group",
	})
)
