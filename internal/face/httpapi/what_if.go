package httpapi

import (
	"cmp"
	"context"
	"strings"

	"rankwarden.example/api"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/store"
)

// whatIf says what would become of the fleet if something were otherwise. It alters nothing.
func (a *routes) whatIf(
	ctx context.Context, who rights.Identity, in *struct{ Body api.WhatIf },
) (*struct{ Body api.WhatThen }, error) {
	out := &struct{ Body api.WhatThen }{api.WhatThen{Arriving: []api.Arrival{}}}
	if len(in.Body.Facts) > 0 {
		p, err := a.Changes.WhatIfFacts(ctx, who, factsBody{in.Body.Facts}.edits())
		if err != nil {
			return nil, err
		}
		out.Body.Moved = new(viewPreview(p))
	}
	if len(in.Body.Arriving) > 0 {
		facts := make([]fleet.Facts, len(in.Body.Arriving))
		for i, d := range in.Body.Arriving {
			facts[i] = fleet.Facts(d)
		}
		arrivals, err := a.Changes.WhatIfTheyCome(ctx, facts)
		if err != nil {
			return nil, err
		}
		out.Body.Arriving = each(arrivals, api.ArrivalOf)
	}
	if in.Body.Leaving != "" {
		leaving, err := a.leaving(ctx, who, in.Body)
		if err != nil {
			return nil, err
		}
		out.Body.Leaving = &leaving
	}
	return out, nil
}

func (a *routes) leaving(ctx context.Context, who rights.Identity, asked api.WhatIf) (api.Leaving, error) {
	l, err := a.Accounts.WhoLeaves(ctx, who, asked.Leaving)
	if err != nil {
		return api.Leaving{}, err
	}
	short, _, _ := strings.Cut(l.Person.Value(), "@")
	devices := map[string]bool{}
	for _, m := range l.Access {
		devices[m.DeviceID] = true
	}
	view := api.Leaving{Person: l.Person.String(), Devices: len(devices), More: l.More,
		Access:  each(l.Access[:min(len(l.Access), shownAccounts)], viewMember),
		NoWayIn: append([]string{}, l.NoWayIn...), Operator: cmp.Or(asked.Operator, short)}
	if view.Policies, err = a.Changes.Naming(ctx, l.Person); err != nil {
		return view, err
	}
	seen, err := a.Passwords.SeenBy(ctx, who, view.Operator)
	view.Passwords = each(seen, func(x store.SeenPassword) api.SeenPassword {
		return api.SeenPassword{Device: x.Device, DeviceID: x.DeviceID, Account: x.Target, SeenAt: x.At}
	})
	return view, err
}
