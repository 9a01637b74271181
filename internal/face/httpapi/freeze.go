package httpapi

import (
	"context"
	"net/http"

	"rankwarden.example/api"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/store"
)

func viewFreeze(f store.Freeze) api.Freeze {
	return api.Freeze{What: f.What, Reason: f.Reason, By: f.By, At: f.At}
}

// freeze mounts what stops everything at once.
func (a *routes) freeze() {
	register(a, rights.Look, operation{
		method: http.MethodGet, path: "/freezes", id: "list-freezes", summary: "Freezes in force; none while everything goes on",
	}, func(ctx context.Context, _ rights.Identity, _ *struct{}) (*struct{ Body []api.Freeze }, error) {
		found, err := a.Deploy.Freezes(ctx)
		list := []api.Freeze{}
		for _, f := range found {
			list = append(list, viewFreeze(f))
		}
		return &struct{ Body []api.Freeze }{list}, err
	})
	register(a, rights.Deploy, operation{
		method: http.MethodPost, path: "/freezes", id: "freeze", summary: "Stop rollouts, or settling too, everywhere and at once",
		action: store.ServiceFrozen,
	}, func(ctx context.Context, who rights.Identity, in *struct{ Body api.NewFreeze }) (*struct{ Body api.Freeze }, error) {
		f, err := a.Deploy.Freeze(ctx, who, in.Body.What == store.FreezeAll, in.Body.Reason)
		return &struct{ Body api.Freeze }{viewFreeze(f)}, err
	})
	register(a, rights.Deploy, operation{
		method: http.MethodPost, path: "/thaw", id: "thaw", summary: "Let everything that is frozen go on", action: store.ServiceThawed,
	}, func(ctx context.Context, who rights.Identity, in *struct {
		Body struct {
			Reason string `json:"reason,omitempty" maxLength:"2000"`
		}
	}) (*struct{}, error) {
		return nil, a.Deploy.Thaw(ctx, who, in.Body.Reason)
	})
}
