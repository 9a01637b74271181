package operation

import "rankwarden.example/core/rights"

// What is done on the machine of the service only, and has no route. Whoever may run its program there is an owner.
var (
	SealOwner = local(Operation{
		ID: "seal-owner", Right: rights.Administer, Action: "operator.sealed",
		Summary: "Create an owner for the day on which nobody else gets in",
	})
	ResealByCopy = local(Operation{
		ID: "reseal-by-copy", Right: rights.Administer, Action: "keys.resealed",
		Summary: "Seal deposits to another key, with a copy of the private half of theirs",
	})
	ExportDeposits = local(Operation{
		ID: "export-deposits", Right: rights.Administer, Action: "deposits.exported",
		Summary: "Write all sealed passwords to a file",
	})
	BeginDrill = local(Operation{
		ID: "begin-drill", Right: rights.Administer, Action: "drill.begun",
		Summary: "Draw sealed passwords for a copy of the recovery key to open",
	})
	PassDrill = local(Operation{
		ID: "pass-drill", Right: rights.Administer, Action: "drill.passed",
		Summary: "Take the answer of a drill of the recovery key",
	})
)

func local(o Operation) *Operation { return &o }
