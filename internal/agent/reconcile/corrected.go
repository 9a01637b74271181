package reconcile

import (
	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// Corrected are the settings that were not as asked before the pass and are after it.
func (o Outcome) Corrected(job Job) []unit.ID {
	ctx := drift.Context{Directory: principal.NewTable(job.Directory), Now: job.Now}
	settings := job.Running(job.Now).Over(job.Settings, nil)
	differs := func(state *drift.State) map[unit.ID]bool {
		units := map[unit.ID]bool{}
		for _, finding := range drift.Check(settings, state, nil, ctx) {
			units[finding.Unit] = units[finding.Unit] || finding.Kind.Differs()
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
