package httpapi

import (
	"context"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/store"
)

func viewFreeze(f store.Freeze) api.Freeze {
	return api.Freeze{What: f.What, Reason: f.Reason, By: f.By, At: f.At}
}

// freezeRoutes mounts what stops everything at once.
func (a *routes) freezeRoutes() {
	register(a, operation.ListFreezes, a.listFreezes)
	register(a, operation.Freeze, a.freeze)
	register(a, operation.Thaw, a.thaw)
}

func (a *routes) listFreezes(
	ctx context.Context, _ rights.Identity, _ *struct{},
) (*struct{ Body []api.Freeze }, error) {
	found, err := a.Deploy.Freezes(ctx)
	list := []api.Freeze{}
	for _, f := range found {
		list = append(list, viewFreeze(f))
	}
	return &struct{ Body []api.Freeze }{list}, err
}

func (a *routes) freeze(
	ctx context.Context, who rights.Identity, in *struct{ Body api.NewFreeze },
) (*struct{ Body api.Freeze }, error) {
	f, err := a.Deploy.Freeze(ctx, who, in.Body.What == store.FreezeAll, in.Body.Reason)
	return &struct{ Body api.Freeze }{viewFreeze(f)}, err
}

func (a *routes) thaw(ctx context.Context, who rights.Identity, in *struct {
	Body struct {
		Reason string `json:"reason,omitempty" maxLength:"2000"`
	}
}) (*struct{}, error) {
	return nil, a.Deploy.Thaw(ctx, who, in.Body.Reason)
}
