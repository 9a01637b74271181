package client

import (
	"context"
	"encoding/json"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
)

// Passkeys are the caller's own.
func (c *Client) Passkeys(ctx context.Context) ([]api.Passkey, error) {
	return whole[api.Passkey](ctx, c, operation.ListPasskeys)
}

// BeginPasskey begins to make one: what the authenticator is asked to do.
func (c *Client) BeginPasskey(ctx context.Context) (out api.PasskeyCeremony, err error) {
	_, err = c.do(ctx, call{op: operation.BeginPasskey, out: &out})
	return out, err
}

// AddPasskey keeps what the authenticator made.
func (c *Client) AddPasskey(
	ctx context.Context, name, ceremony string, response json.RawMessage,
) (out api.Passkey, err error) {
	in := api.NewPasskey{PasskeyAnswer: api.PasskeyAnswer{Ceremony: ceremony, Response: response}, Name: name}
	_, err = c.do(ctx, call{op: operation.AddPasskey, in: in, out: &out})
	return out, err
}

// RemovePasskey removes one of the caller's own.
func (c *Client) RemovePasskey(ctx context.Context, id string) error {
	_, err := c.do(ctx, call{op: operation.RemovePasskey, parts: []string{id}})
	return err
}

// BeginPasskeySignIn begins to sign in with a passkey.
func (c *Client) BeginPasskeySignIn(ctx context.Context) (out api.PasskeyCeremony, err error) {
	_, err = c.do(ctx, call{op: operation.BeginPasskeySignIn, out: &out})
	return out, err
}

// SignInWithPasskey signs in with what the authenticator answered.
func (c *Client) SignInWithPasskey(
	ctx context.Context, ceremony string, response json.RawMessage,
) (out api.Me, err error) {
	in := api.PasskeyAnswer{Ceremony: ceremony, Response: response}
	_, err = c.do(ctx, call{op: operation.SignInWithPasskey, in: in, out: &out})
	return out, err
}

// SignInAgainWithPasskey has the session count as fresh.
func (c *Client) SignInAgainWithPasskey(ctx context.Context, ceremony string, response json.RawMessage) error {
	_, err := c.do(ctx, call{op: operation.SignInAgainWithPasskey,
		in: api.PasskeyAnswer{Ceremony: ceremony, Response: response}})
	return err
}
