package httpapi

import (
	"context"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
)

func (a *routes) settingsRoutes() {
	register(a, operation.ListSettings, a.listSettings)
}

func (a *routes) listSettings(context.Context, rights.Identity, *struct{}) (*whole[api.Setting], error) {
	return wholeOf(a.Settings, nil, func(s api.Setting) api.Setting { return s })
}
