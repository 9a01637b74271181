package client

import (
	"context"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
)

// Freezes are those in force.
func (c *Client) Freezes(ctx context.Context) ([]api.Freeze, error) {
	out, _, err := get[[]api.Freeze](ctx, c, operation.ListFreezes, nil)
	return out, err
}

// Freeze stops rollouts, or settling too, everywhere and at once.
func (c *Client) Freeze(ctx context.Context, f api.NewFreeze) (api.Freeze, error) {
	var out api.Freeze
	_, err := c.do(ctx, call{op: operation.Freeze, in: f, out: &out})
	return out, err
}

// Thaw lets everything that is frozen go on.
func (c *Client) Thaw(ctx context.Context, reason string) error {
	_, err := c.do(ctx, call{op: operation.Thaw, in: map[string]string{"reason": reason}})
	return err
}
