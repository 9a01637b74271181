package client

import (
	"context"
	"net/url"
	"strconv"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
)

// Rollouts lists rollouts, the latest first, or only those that have not ended.
func (c *Client) Rollouts(ctx context.Context, underWay bool, p Page) (List[api.RolloutSummary], error) {
	query := url.Values{}
	if underWay {
		query.Set("under_way", "true")
	}
	return list[api.RolloutSummary](ctx, c, operation.ListRollouts, query, p)
}

// Rollout reads the rollout of a change.
func (c *Client) Rollout(ctx context.Context, change string) (api.Rollout, error) {
	out, _, err := get[api.Rollout](ctx, c, operation.ShowRollout, nil, change)
	return out, err
}

// RolloutDefaults are how a change goes out where nothing else is said.
func (c *Client) RolloutDefaults(ctx context.Context) (api.RolloutDefaults, error) {
	out, _, err := get[api.RolloutDefaults](ctx, c, operation.RolloutDefaults, nil)
	return out, err
}

// RolloutDevices lists what devices made of the change of a rollout: of one wave, from 1, or of any where it is 0; with
// one outcome, or any where it is empty.
func (c *Client) RolloutDevices(
	ctx context.Context, change string, wave int, outcome string, p Page,
) (List[api.RolloutDevice], error) {
	query := url.Values{}
	if wave > 0 {
		query.Set("wave", strconv.Itoa(wave))
	}
	if outcome != "" {
		query.Set("outcome", outcome)
	}
	return list[api.RolloutDevice](ctx, c, operation.RolloutDevices, query, p, change)
}

// StartRollout takes a change out, or has it wait for a second person.
func (c *Client) StartRollout(ctx context.Context, how api.StartRollout) (api.RolloutStep, error) {
	var out api.RolloutStep
	_, err := c.do(ctx, call{op: operation.StartRollout, in: how, out: &out})
	return out, err
}

// PauseRollout holds a rollout.
func (c *Client) PauseRollout(ctx context.Context, change, reason string) (api.RolloutStep, error) {
	return c.rolloutStep(ctx, change, operation.PauseRollout, map[string]string{"reason": reason})
}

// ResumeRollout goes on with a rollout. Digest is that of the preview of its change, where that was edited.
func (c *Client) ResumeRollout(ctx context.Context, change, reason, digest string) (api.RolloutStep, error) {
	return c.rolloutStep(ctx, change, operation.ResumeRollout, map[string]string{"reason": reason, "digest": digest})
}

// OpenWave opens the next wave before its gate is passed, or asks a second person to.
func (c *Client) OpenWave(ctx context.Context, change, reason string) (api.RolloutStep, error) {
	return c.rolloutStep(ctx, change, operation.OpenWave, map[string]string{"reason": reason})
}

// RevertRollout takes the change back from every device that has it, which may also give back the members and values
// that it took away.
func (c *Client) RevertRollout(ctx context.Context, change, reason string, giveBack bool) (api.RolloutStep, error) {
	return c.rolloutStep(ctx, change, operation.RevertRollout, map[string]any{"reason": reason, "give_back": giveBack})
}

func (c *Client) rolloutStep(
	ctx context.Context, change string, op *operation.Operation, in any,
) (api.RolloutStep, error) {
	var out api.RolloutStep
	_, err := c.do(ctx, call{op: op, parts: []string{change}, in: in, out: &out})
	return out, err
}
