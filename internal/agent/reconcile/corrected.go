package reconcile

import (
	"slices"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/journal"
)

// Corrected are the settings that were not as asked before the pass and are after it.
func (o Outcome) Corrected(job Job) []unit.ID {
	ctx := drift.Context{Directory: principal.NewTable(job.Directory), Now: job.Now}
	// What is by warrant is as asked while it runs, and no deviation at its end.
	settings := job.Running(job.Now).Over(job.Settings, func(unit.ID) bool { return false })
	granted := func(f drift.Finding) bool {
		return slices.ContainsFunc(job.Granted, func(g journal.Granted) bool {
			return g.Unit == f.Unit && g.Member == f.Member
		})
	}
	differs := func(state *drift.State) map[unit.ID]bool {
		units := map[unit.ID]bool{}
		for _, finding := range drift.Check(settings, state, nil, ctx) {
			units[finding.Unit] = units[finding.Unit] || finding.Kind.Differs() && !granted(finding)
		}
		return units
	}
	after := differs(&o.After)
	var corrected []unit.ID
	for id, differed := range differs(&o.Before) {
		if differed && !after[id] {
			corrected = append(corrected, id)
		}
	}
	return corrected
}
