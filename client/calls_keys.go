package client

import (
	"context"
	"strconv"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
)

// EscrowKeys are all escrow and recovery keys, by number.
func (c *Client) EscrowKeys(ctx context.Context) ([]api.EscrowKey, error) {
	return whole[api.EscrowKey](ctx, c, operation.ListEscrowKeys)
}

// CreateEscrowKey enters the public half of a new key.
func (c *Client) CreateEscrowKey(ctx context.Context, key api.NewEscrowKey) error {
	_, err := c.do(ctx, call{op: operation.CreateEscrowKey, in: key})
	return err
}

// ChallengeEscrowKey gives what only the private half of a new key opens.
func (c *Client) ChallengeEscrowKey(ctx context.Context, number int64) (document []byte, err error) {
	var out api.KeyChallenge
	_, err = c.do(ctx, call{op: operation.ChallengeEscrowKey, parts: []string{strconv.FormatInt(number, 10)},
		out: &out})
	return out.Document, err
}

// ProveEscrowKey gives the answer to the latest challenge.
func (c *Client) ProveEscrowKey(ctx context.Context, number int64, answer string) error {
	_, err := c.do(ctx, call{op: operation.ProveEscrowKey, parts: []string{strconv.FormatInt(number, 10)},
		in: api.KeyAnswer{Answer: answer}})
	return err
}

// RetireEscrowKey has nothing new sealed to a key.
func (c *Client) RetireEscrowKey(ctx context.Context, number int64) error {
	_, err := c.do(ctx, call{op: operation.RetireEscrowKey, parts: []string{strconv.FormatInt(number, 10)}})
	return err
}

// DecideEscrowKey approves or declines what waits for a second owner.
func (c *Client) DecideEscrowKey(ctx context.Context, number int64, approve bool) error {
	_, err := c.do(ctx, call{op: operation.DecideEscrowKey, parts: []string{strconv.FormatInt(number, 10)},
		in: map[string]bool{"approve": approve}})
	return err
}

// ResealEscrowKey has the deposits of a retired key sealed again in the background.
func (c *Client) ResealEscrowKey(ctx context.Context, number int64) error {
	_, err := c.do(ctx, call{op: operation.ResealEscrowKey, parts: []string{strconv.FormatInt(number, 10)}})
	return err
}

// StopReseal stops it.
func (c *Client) StopReseal(ctx context.Context, number int64) error {
	_, err := c.do(ctx, call{op: operation.StopReseal, parts: []string{strconv.FormatInt(number, 10)}})
	return err
}

// UnrecoveredPasswords lists current passwords without a recovery copy, by device.
func (c *Client) UnrecoveredPasswords(ctx context.Context, p Page) (List[api.UnrecoveredPassword], error) {
	return list[api.UnrecoveredPassword](ctx, c, operation.ListUnrecoveredPasswords, nil, p)
}

// whole reads a list that has no pages.
func whole[T any](ctx context.Context, c *Client, op *operation.Operation) ([]T, error) {
	var out struct {
		Items []T `json:"items"`
	}
	_, err := c.do(ctx, call{op: op, out: &out})
	return out.Items, err
}
