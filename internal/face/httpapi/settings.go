package httpapi

import (
	"context"
	"net/http"

	"rankwarden.example/api"
	"rankwarden.example/internal/base/auth"
)

func (a *routes) settings() {
	register(a, auth.Administer,
		operation{method: http.MethodGet, path: "/settings", id: "list-settings", summary: "How the service is configured, without secrets"},
		func(context.Context, auth.Identity, *struct{}) (*whole[api.Setting], error) {
			return wholeOf(a.Settings, nil, func(s api.Setting) api.Setting { return s })
		})
}
