package client

import (
	"context"
	"net/http"
	"net/url"

	"rankwarden.example/api"
)

// Brakes lists what the brake holds, the latest first, or also what it held until somebody decided.
func (c *Client) Brakes(ctx context.Context, all bool, p Page) (List[api.Held], error) {
	query := url.Values{}
	if all {
		query.Set("all", "true")
	}
	return list[api.Held](ctx, c, "/brakes", query, p)
}

// Brake reads what the brake holds, by identifier.
func (c *Client) Brake(ctx context.Context, id string) (api.Held, error) {
	out, _, err := get[api.Held](ctx, c, "/brakes/"+url.PathEscape(id), nil)
	return out, err
}

// DecideBrake releases what the brake holds, which is done then, or refuses it.
func (c *Client) DecideBrake(ctx context.Context, id string, release bool, reason string) (api.Held, error) {
	var out api.Held
	in := map[string]any{"release": release, "reason": reason}
	_, err := c.do(ctx, call{
		method: http.MethodPost, path: "/brakes/" + url.PathEscape(id) + "/decision", in: in, out: &out,
	})
	return out, err
}
