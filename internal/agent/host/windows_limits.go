package host

import (
	"fmt"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/unit"
)

// RelaxedSince is the build from which Windows takes a greater minimum length of passwords than [unit.SureMinLength],
// where its security option that relaxes this is set.
const RelaxedSince = 19041

// WindowsLimits are what no workstation with Windows carries out, of a build and with that option set or not.
func WindowsLimits(build int, relaxed bool) []drift.Limit {
	if build >= RelaxedSince && relaxed {
		return nil
	}
	return []drift.Limit{{
		Setting: unit.MinLength, Most: new(unit.SureMinLength),
		Why: fmt.Sprintf("takes a minimum length of at most %d characters, and enforces that", unit.SureMinLength),
	}}
}
