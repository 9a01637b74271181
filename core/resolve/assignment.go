package resolve

import (
	"rankwarden.example/core/assign"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/unit"
)

// Assignment is an assignment together with the policy it has in force.
type Assignment struct {
	Name   string
	Rank   assign.Rank
	Stance assign.Stance
	Policy *policy.Normal
}

// Claim is what one assignment asks of one setting.
type Claim struct {
	Assignment string
	Rank       assign.Rank
	Unit       unit.ID
	Value      unit.Value
}
