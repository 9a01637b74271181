package operation

import "rankwarden.example/core/rights"

// Previews.
var (
	PreviewChange = declare(Operation{
		ID: "preview-change", Method: get, Path: "/changes/{name}/preview", Right: rights.Look, Budget: Whole,
		Summary: "What a change would do, by effect",
	})
	PreviewDevices = declare(Operation{
		ID: "preview-devices", Method: get, Path: "/changes/{name}/preview/devices", Right: rights.Look, Budget: Whole,
		Summary: "What a change would do, device by device",
	})
	WhatIf = declare(Operation{
		ID: "what-if", Method: post, Path: "/what-if", Right: rights.Deploy, Budget: Whole,
		Reads:   true,
		Summary: "What would become of the fleet if facts were others, devices came, or somebody left; alters nothing",
	})
	PreviewEdits = declare(Operation{
		ID: "preview-edits", Method: post, Path: "/preview", Right: rights.Draft, Budget: Whole,
		Reads:   true,
		Summary: "What some edits would do, without storing them",
	})
)
