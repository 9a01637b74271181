package client

import (
	"context"
	"io"
	"net/url"
	"strconv"
	"time"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
)

// TrailQuery narrows the trail.
type TrailQuery struct {
	Actor, Action, On, Device, Outcome string
	Since, Until                       time.Time
}

func (q TrailQuery) values() url.Values {
	return past(values("actor", q.Actor, "action", q.Action, "on", q.On, "device", q.Device, "outcome", q.Outcome),
		q.Since, q.Until)
}

// Trail lists what was done and refused, latest first.
func (c *Client) Trail(ctx context.Context, q TrailQuery, p Page) (List[api.TrailEntry], error) {
	return list[api.TrailEntry](ctx, c, operation.ListTrail, q.values(), p)
}

// TrailEntry is one entry.
func (c *Client) TrailEntry(ctx context.Context, seq int64) (api.TrailEntry, error) {
	out, _, err := get[api.TrailEntry](ctx, c, operation.TrailEntry, nil, strconv.FormatInt(seq, 10))
	return out, err
}

// ExportTrail gives entries in order, as they are read: as jsonl, which can be proved when it is whole, or as csv.
// Close it.
func (c *Client) ExportTrail(ctx context.Context, format string, q TrailQuery) (io.ReadCloser, error) {
	query := q.values()
	query.Set("format", format)
	resp, err := c.send(ctx, call{op: operation.ExportTrail, query: query})
	if err != nil {
		return nil, err
	}
	return resp.Body, nil
}

// Checkpoints lists signed statements of how far the trail went, latest first.
func (c *Client) Checkpoints(ctx context.Context, p Page) (List[api.Checkpoint], error) {
	return list[api.Checkpoint](ctx, c, operation.ListCheckpoints, nil, p)
}

// MakeCheckpoint signs how far the trail goes now.
func (c *Client) MakeCheckpoint(ctx context.Context) (api.Checkpoint, error) {
	var out api.Checkpoint
	_, err := c.do(ctx, call{op: operation.MakeCheckpoint, out: &out})
	return out, err
}

// CheckTrail has the service check a part of the trail behind an entry.
func (c *Client) CheckTrail(ctx context.Context, after int64) (api.TrailCheck, error) {
	out, _, err := get[api.TrailCheck](ctx, c, operation.CheckTrail, values("after", strconv.FormatInt(after, 10)))
	return out, err
}
