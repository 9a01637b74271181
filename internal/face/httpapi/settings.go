package httpapi

import (
	"context"
	"net/http"

	"rankwarden.example/api"
	"rankwarden.example/core/rights"
)

func (a *routes) settings() {
	register(a, rights.Administer,
		operation{method: http.MethodGet, path: "/settings", id: "list-settings", summary: "How the service is configured, without secrets"},
		func(context.Context, rights.Identity, *struct{}) (*whole[api.Setting], error) {
			return wholeOf(a.Settings, nil, func(s api.Setting) api.Setting { return s })
		})
}
