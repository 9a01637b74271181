package uow

import (
	"rankwarden.example/core/effect"
	"rankwarden.example/internal/wire/audit"
)

// AdministratorsAltered is what the trail calls it when somebody becomes an administrator of devices, or is none any
// more.
const AdministratorsAltered = "administrators.altered"

// alteredWay is one way in of such an entry.
type alteredWay struct {
	Effect  effect.Access `json:"effect"`
	Unit    string        `json:"unit"`
	Subject string        `json:"subject"`
	Devices int           `json:"devices"` // that are there
	Anyone  bool          `json:"whichever_device_comes,omitempty"`
}

// TellAdministrators puts on the trail, from where it is told further, who becomes an administrator and who is none any
// more: nobody does so unannounced.
func (w *Work) TellAdministrators(access effect.AccessSet) {
	var ways []alteredWay
	for _, e := range access.Effects() {
		switch e.Access {
		case effect.AdministratorGained, effect.AdministratorLost, effect.TakenOver:
			way := alteredWay{Effect: e.Access, Unit: effect.UnitName(e.Unit), Subject: e.Subject,
				Anyone: access[e][effect.Anyone], Devices: len(access[e])}
			if way.Anyone {
				way.Devices--
			}
			ways = append(ways, way)
		}
	}
	if len(ways) > 0 {
		w.Also(w.Act().As(AdministratorsAltered), audit.Done, nil, map[string]any{"by": w.Action(), "ways": ways})
	}
}
