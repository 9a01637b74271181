package httpapi

import (
	"context"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/present"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/room/changes"
)

// viewHeld shows what waits at the brake: what it would do, without the request itself. Devices are named only to those
// whose reach is everywhere.
func viewHeld(who rights.Identity) func(h changes.HeldByBrake) api.Held {
	return func(h changes.HeldByBrake) api.Held {
		v := api.Held{
			ID: h.ID, Kind: h.Kind, Object: h.Object, State: h.State,
			Words: present.HeldByBrake(h.Kind, h.Object, h.Devices, h.Fleet),
			Fleet: h.Fleet, Devices: h.Devices, Leaving: h.Leaving, AskedBy: h.AskedBy, AskedAt: h.AskedAt,
			DecidedBy: h.DecidedBy,
			DecidedAt: h.DecidedAt, Reason: h.Reason, Needs: append([]string{}, h.Needs...),
		}
		v.Sums, v.Alters, v.Altering = []api.EffectSum{}, []api.Altered{}, h.Altering
		for _, of := range h.Alters {
			if who.Reach(rights.Look).Everywhere() {
				v.Alters = append(v.Alters, api.Altered(of))
			}
		}
		for _, e := range h.Effects {
			if !who.Reach(rights.Look).Everywhere() {
				e.First = []string{} // names of devices
			}
			v.Sums = append(v.Sums, api.EffectSum(e))
		}
		return v
	}
}

func (a *routes) brakesRoutes() {
	register(a, operation.ListBrakes, a.listBrakes)
	register(a, operation.ShowBrake, a.showBrake)
	register(a, operation.DecideBrake, a.decideBrake)
}

func (a *routes) listBrakes(ctx context.Context, who rights.Identity, in *struct {
	PageQuery
	All bool `query:"all" doc:"Also those that were decided"`
}) (*List[api.Held], error) {
	list, next, err := a.Changes.HeldByBrake(ctx, in.All, in.page())
	return listOf(list, next, err, viewHeld(who))
}

func (a *routes) showBrake(ctx context.Context, who rights.Identity, in *NamePath) (*struct{ Body api.Held }, error) {
	h, err := a.Changes.BrakeHeld(ctx, in.Name)
	if err != nil {
		return nil, err
	}
	return &struct{ Body api.Held }{viewHeld(who)(h)}, nil
}

// decideBrake releases what waits at the brake, or refuses it. Either needs a reason.
func (a *routes) decideBrake(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	Body struct {
		Release bool   `json:"release"`
		Reason  string `json:"reason" maxLength:"2000"`
	}
}) (*struct{ Body api.Held }, error) {
	h, err := a.Changes.DecideBrake(ctx, who, in.Name, in.Body.Release, in.Body.Reason)
	if err != nil {
		return nil, err
	}
	return &struct{ Body api.Held }{viewHeld(who)(h)}, nil
}
