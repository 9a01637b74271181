package client

import (
	"context"
	"net/http"
	"strconv"

	"rankwarden.example/api"
)

func ofKey(number int64, what string) string {
	return "/escrow-keys/" + strconv.FormatInt(number, 10) + what
}

// EscrowKeys are all escrow and recovery keys, by number.
func (c *Client) EscrowKeys(ctx context.Context) ([]api.EscrowKey, error) {
	return whole[api.EscrowKey](ctx, c, "/escrow-keys")
}

// CreateEscrowKey enters the public half of a new key.
func (c *Client) CreateEscrowKey(ctx context.Context, key api.NewEscrowKey) error {
	_, err := c.do(ctx, call{method: http.MethodPost, path: "/escrow-keys", in: key})
	return err
}

// ChallengeEscrowKey gives what only the private half of a new key opens.
func (c *Client) ChallengeEscrowKey(ctx context.Context, number int64) (document []byte, err error) {
	var out api.KeyChallenge
	_, err = c.do(ctx, call{method: http.MethodPost, path: ofKey(number, "/challenge"), out: &out})
	return out.Document, err
}

// ProveEscrowKey gives the answer to the latest challenge.
func (c *Client) ProveEscrowKey(ctx context.Context, number int64, answer string) error {
	_, err := c.do(ctx, call{method: http.MethodPost, path: ofKey(number, "/proof"), in: api.KeyAnswer{Answer: answer}})
	return err
}

// RetireEscrowKey has nothing new sealed to a key.
func (c *Client) RetireEscrowKey(ctx context.Context, number int64) error {
	_, err := c.do(ctx, call{method: http.MethodPost, path: ofKey(number, "/retire")})
	return err
}

// DecideEscrowKey approves or declines what waits for a second owner.
func (c *Client) DecideEscrowKey(ctx context.Context, number int64, approve bool) error {
	_, err := c.do(ctx, call{method: http.MethodPost, path: ofKey(number, "/decision"), in: map[string]bool{"approve": approve}})
	return err
}

// ResealEscrowKey has the deposits of a retired key sealed again in the background.
func (c *Client) ResealEscrowKey(ctx context.Context, number int64) error {
	_, err := c.do(ctx, call{method: http.MethodPost, path: ofKey(number, "/reseal")})
	return err
}

// StopReseal stops it.
func (c *Client) StopReseal(ctx context.Context, number int64) error {
	_, err := c.do(ctx, call{method: http.MethodDelete, path: ofKey(number, "/reseal")})
	return err
}

// UnrecoveredPasswords lists current passwords without a recovery copy, by device.
func (c *Client) UnrecoveredPasswords(ctx context.Context, p Page) (List[api.UnrecoveredPassword], error) {
	return list[api.UnrecoveredPassword](ctx, c, "/unrecovered-passwords", nil, p)
}

// whole reads a list that has no pages.
func whole[T any](ctx context.Context, c *Client, path string) ([]T, error) {
	var out struct {
		Items []T `json:"items"`
	}
	_, err := c.do(ctx, call{method: http.MethodGet, path: path, out: &out})
	return out.Items, err
}
