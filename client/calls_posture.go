package client

import (
	"context"
	"io"
	"net/url"
	"time"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
)

// PostureQuery asks for a report; what is empty is every device, the last 30 days.
type PostureQuery struct {
	Group        string
	Since, Until time.Time
}

func (q PostureQuery) values() url.Values { return past(values("group", q.Group), q.Since, q.Until) }

// Posture reports on how a group stood over a period.
func (c *Client) Posture(ctx context.Context, q PostureQuery) (api.Posture, error) {
	out, _, err := get[api.Posture](ctx, c, operation.ReportPosture, q.values())
	return out, err
}

// PostureCSV is the same report as CSV. Close it.
func (c *Client) PostureCSV(ctx context.Context, q PostureQuery) (io.ReadCloser, error) {
	resp, err := c.send(ctx, call{op: operation.ReportPostureAsCsv, query: q.values()})
	if err != nil {
		return nil, err
	}
	return resp.Body, nil
}
