package operation

import "rankwarden.example/core/rights"

// Events of devices.
var (
	ListDeviceEvents = declare(Operation{
		ID: "list-device-events", Method: get, Path: "/device-events", Right: rights.Look, Budget: Small,
		Summary: "Events of devices, latest first",
	})
)
