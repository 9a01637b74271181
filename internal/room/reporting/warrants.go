package reporting

import (
	"fmt"

	"rankwarden.example/core/present"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/store"
)

// mostWarrants is how many warrants are told among the decisions.
const mostWarrants = 20

// warrantsToDecide are the warrants that wait for somebody to agree.
func (s *Service) warrantsToDecide(tx Reads, who rights.Identity) (list []Decision, err error) {
	look := who.Reach(rights.Look)
	waiting := store.WarrantFilter{Reach: look, State: store.WarrantWaiting}
	open, _, err := tx.ListWarrants(waiting, store.Page{Limit: mostWarrants})
	if err != nil || len(open) == 0 {
		return nil, err
	}
	ids := make([]string, len(open))
	for i, w := range open {
		ids[i] = w.ID
	}
	devices, err := tx.DevicesOfWarrants(look, ids)
	for _, w := range open {
		on := devices[w.ID]
		if len(on) == 0 {
			continue
		}
		group := w.Unit
		if id, err := unit.Parse(w.Unit); err == nil {
			group = present.Unit(id)
		}
		list = append(list, Decision{Kind: DecideWarrant, Object: w.ID, Unit: w.Unit, Devices: len(on),
			Device: on[0].Name, DeviceID: on[0].ID, Title: w.AskedBy + " asks for a warrant",
			Detail: fmt.Sprintf("%s in %s for %s; somebody must agree: %s", w.Principal, group,
				present.Minutes(w.LastsSeconds/60), w.Reason)})
	}
	return list, err
}
