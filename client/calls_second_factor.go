package client

import (
	"context"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
)

// SecondFactor is what whoever is signed in has beside the password.
func (c *Client) SecondFactor(ctx context.Context) (api.SecondFactor, error) {
	out, _, err := get[api.SecondFactor](ctx, c, operation.ShowSecondFactor, nil)
	return out, err
}

// BeginSecondFactor makes a secret for one-time codes; it counts once a code of it is confirmed.
func (c *Client) BeginSecondFactor(ctx context.Context) (api.NewSecondFactor, error) {
	var out api.NewSecondFactor
	_, err := c.do(ctx, call{op: operation.BeginSecondFactor, out: &out})
	return out, err
}

// ConfirmSecondFactor turns it on with a first code, and gives the recovery codes.
func (c *Client) ConfirmSecondFactor(ctx context.Context, code string) ([]string, error) {
	var out api.RecoveryCodes
	_, err := c.do(ctx, call{op: operation.ConfirmSecondFactor, in: api.Code{Code: code}, out: &out})
	return out.Codes, err
}

// NewRecoveryCodes replaces the recovery codes.
func (c *Client) NewRecoveryCodes(ctx context.Context, password, code string) ([]string, error) {
	var out api.RecoveryCodes
	in := api.Proof{Password: password, Code: code}
	_, err := c.do(ctx, call{op: operation.MakeRecoveryCodes, in: in, out: &out})
	return out.Codes, err
}

// RemoveSecondFactor takes it away.
func (c *Client) RemoveSecondFactor(ctx context.Context, password, code string) error {
	in := api.Proof{Password: password, Code: code}
	_, err := c.do(ctx, call{op: operation.RemoveSecondFactor, in: in})
	return err
}
