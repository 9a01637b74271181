package client

import (
	"context"
	"net/http"

	"rankwarden.example/api"
)

// SecondFactor is what whoever is signed in has beside the password.
func (c *Client) SecondFactor(ctx context.Context) (api.SecondFactor, error) {
	out, _, err := get[api.SecondFactor](ctx, c, "/second-factor", nil)
	return out, err
}

// BeginSecondFactor makes a secret for one-time codes; it counts once a code of it is confirmed.
func (c *Client) BeginSecondFactor(ctx context.Context) (api.NewSecondFactor, error) {
	var out api.NewSecondFactor
	_, err := c.do(ctx, call{method: http.MethodPost, path: "/second-factor", out: &out})
	return out, err
}

// ConfirmSecondFactor turns it on with a first code, and gives the recovery codes.
func (c *Client) ConfirmSecondFactor(ctx context.Context, code string) ([]string, error) {
	var out api.RecoveryCodes
	_, err := c.do(
		ctx,
		call{method: http.MethodPost, path: "/second-factor/confirm", in: api.Code{Code: code}, out: &out},
	)
	return out.Codes, err
}

// NewRecoveryCodes replaces the recovery codes.
func (c *Client) NewRecoveryCodes(ctx context.Context, password, code string) ([]string, error) {
	var out api.RecoveryCodes
	in := api.Proof{Password: password, Code: code}
	_, err := c.do(ctx, call{method: http.MethodPost, path: "/second-factor/recovery-codes", in: in, out: &out})
	return out.Codes, err
}

// RemoveSecondFactor takes it away.
func (c *Client) RemoveSecondFactor(ctx context.Context, password, code string) error {
	in := api.Proof{Password: password, Code: code}
	_, err := c.do(ctx, call{method: http.MethodPost, path: "/second-factor/remove", in: in})
	return err
}
