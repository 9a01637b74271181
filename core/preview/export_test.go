package preview

import (
	"rankwarden.example/core/drift"
	"rankwarden.example/core/effect"
	"rankwarden.example/core/principal"
)

// Access tells how a difference changes the ways into a device, as a [Tally] counts them.
func (d *Difference) Access(
	state *drift.State, directory principal.Directory, tell func(e effect.AccessEffect),
) {
	d.effects(Device{State: state}, directory, tell)
}
