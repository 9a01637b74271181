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
	PreviewEdits = declare(Operation{
		ID: "preview-edits", Method: post, Path: "/preview", Right: rights.Draft, Budget: Whole,
		Reads:   true,
		Summary: "What some edits would do, without storing them",
	})
)
