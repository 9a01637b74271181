package operation

import "rankwarden.example/core/rights"

// The audit trail.
var (
	ListTrail = declare(Operation{
		ID: "list-trail", Method: get, Path: "/trail", Right: rights.Trail, Budget: Small,
		Summary: "What was done and refused, latest first",
	})
	TrailEntry = declare(Operation{
		ID: "trail-entry", Method: get, Path: "/trail/entries/{seq}", Right: rights.Trail, Budget: Small,
		Summary: "One entry of the trail",
	})
	ListCheckpoints = declare(Operation{
		ID: "list-checkpoints", Method: get, Path: "/trail/checkpoints", Right: rights.Trail, Budget: Small,
		Summary: "Signed statements of how far the trail went, latest first",
	})
	MakeCheckpoint = declare(Operation{
		ID: "make-checkpoint", Method: post, Path: "/trail/checkpoints", Right: rights.Trail, Budget: Small,
		Action:  "trail.anchored",
		Summary: "Sign how far the trail goes now",
	})
	CheckTrail = declare(Operation{
		ID: "check-trail", Method: get, Path: "/trail/check", Right: rights.Trail, Budget: Whole,
		Summary: "Check a part of the trail, and compare it with the checkpoints in the database",
	})
	ExportTrail = declare(Operation{
		ID: "export-trail", Method: get, Path: "/trail/export", Right: rights.Trail, Budget: Stream,
		Summary: "The trail in order, as it is read. Only as JSON lines, and whole, can it be proved",
	})
)
