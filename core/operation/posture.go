package operation

import "rankwarden.example/core/rights"

// The posture report.
var (
	ReportPosture = declare(Operation{
		ID: "report-posture", Method: get, Path: "/posture", Right: rights.Look, Budget: Whole,
		Summary: "A report on how a group stood over a period",
	})
	ReportPostureAsCsv = declare(Operation{
		ID: "report-posture-as-csv", Method: get, Path: "/posture.csv", Right: rights.Look, Budget: Whole,
		Summary: "The same report as CSV: one measure a row",
	})
)
