package operation

import "rankwarden.example/core/rights"

// Waivers of findings.
var (
	ListWaivers = declare(Operation{
		ID: "list-waivers", Method: get, Path: "/waivers", Right: rights.Look, Budget: Small,
		Summary: "Waivers, the latest first",
	})
	WaiveFindings = declare(Operation{
		ID: "waive-findings", Method: post, Path: "/waivers", Right: rights.Deploy, Budget: Small,
		Action: "finding.waived", Status: created,
		Summary: "Accept findings until a day: their devices leave these things alone",
	})
	EndWaiver = declare(Operation{
		ID: "end-waiver", Method: post, Path: "/waivers/{name}/end", Right: rights.Deploy, Budget: Small,
		Action:  "waiver.ended",
		Summary: "End a waiver before its day",
	})
	DecideWaiver = declare(Operation{
		ID: "decide-waiver", Method: post, Path: "/waivers/{name}/decision", Right: rights.Deploy, Budget: Small,
		Action:  "waiver.decided",
		Decides: true,
		Summary: "Agree to a waiver that waits for a second person, or refuse it",
	})
)
