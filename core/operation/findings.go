package operation

import "rankwarden.example/core/rights"

// Findings.
var (
	FindingCounts = declare(Operation{
		ID: "finding-counts", Method: get, Path: "/finding-counts", Right: rights.Look, Budget: Small,
		Summary: "Count open findings by assignment, group or device, most devices first",
	})
	ListFindings = declare(Operation{
		ID: "list-findings", Method: get, Path: "/findings", Right: rights.Look, Budget: Small,
		Summary: "Findings, newest first",
	})
	FindingSums = declare(Operation{
		ID: "finding-sums", Method: get, Path: "/finding-sums", Right: rights.Look, Budget: Small,
		Summary: "Count findings by setting and kind, most devices first",
	})
)
