package operation

import "rankwarden.example/core/rights"

// The ladder.
var (
	ShowLadder = declare(Operation{
		ID: "show-ladder", Method: post, Path: "/ladder", Right: rights.Look, Budget: Whole,
		Reads:   true,
		Summary: "How assignments decide the settings of a device, a group or the fleet; as if some edits were made",
	})
)
