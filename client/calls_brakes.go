package client

import (
	"context"
	"net/url"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
)

// Brakes lists what the brake holds, the latest first, or also what it held until somebody decided.
func (c *Client) Brakes(ctx context.Context, all bool, p Page) (List[api.Held], error) {
	query := url.Values{}
	if all {
		query.Set("all", "true")
	}
	return list[api.Held](ctx, c, operation.ListBrakes, query, p)
}

// Brake reads what the brake holds, by identifier.
func (c *Client) Brake(ctx context.Context, id string) (api.Held, error) {
	out, _, err := get[api.Held](ctx, c, operation.ShowBrake, nil, id)
	return out, err
}

// DecideBrake releases what the brake holds, which is done then, or refuses it.
func (c *Client) DecideBrake(ctx context.Context, id string, release bool, reason string) (api.Held, error) {
	var out api.Held
	in := map[string]any{"release": release, "reason": reason}
	_, err := c.do(ctx, call{
		op: operation.DecideBrake, parts: []string{id}, in: in, out: &out,
	})
	return out, err
}
