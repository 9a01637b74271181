package client

import (
	"context"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
)

// WarrantQuery narrows a list of warrants. Empty fields do not.
type WarrantQuery struct {
	State  string // waiting, agreed, refused, taken_back or ended
	Open   bool   // only those that wait, run or will
	Device string // identifier or name
}

// Warrants lists warrants, the latest first.
func (c *Client) Warrants(ctx context.Context, q WarrantQuery, p Page) (List[api.Warrant], error) {
	query := values("state", q.State, "device", q.Device)
	if q.Open {
		query.Set("open", "true")
	}
	return list[api.Warrant](ctx, c, operation.ListWarrants, query, p)
}

// Warrant gives a warrant by its identifier.
func (c *Client) Warrant(ctx context.Context, id string) (api.Warrant, error) {
	out, _, err := get[api.Warrant](ctx, c, operation.ShowWarrant, nil, id)
	return out, err
}

// AskWarrant asks for a warrant; it waits where somebody else must agree.
func (c *Client) AskWarrant(ctx context.Context, spec api.WarrantSpec) (api.Warrant, error) {
	var out api.Warrant
	_, err := c.do(ctx, call{op: operation.AskWarrant, in: spec, out: &out})
	return out, err
}

// DecideWarrant agrees to a warrant that somebody else asked for, or refuses it.
func (c *Client) DecideWarrant(ctx context.Context, id string, agree bool, reason string) error {
	in := map[string]any{"agree": agree, "reason": reason}
	_, err := c.do(ctx, call{op: operation.DecideWarrant, parts: []string{id}, in: in})
	return err
}

// TakeBackWarrant ends a warrant before its end.
func (c *Client) TakeBackWarrant(ctx context.Context, id, reason string) error {
	in := map[string]string{"reason": reason}
	_, err := c.do(ctx, call{op: operation.TakeBackWarrant, parts: []string{id}, in: in})
	return err
}
