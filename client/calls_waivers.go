package client

import (
	"context"
	"net/url"
	"time"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
)

// WaiverQuery narrows a list of waivers. Empty fields do not.
type WaiverQuery struct {
	State  string // waiting, active or ended
	Device string // identifier or name
	Ending bool   // only those that are about to end
}

// Waivers lists waivers, the latest first.
func (c *Client) Waivers(ctx context.Context, q WaiverQuery, p Page) (List[api.Waiver], error) {
	query := url.Values{}
	if q.State != "" {
		query.Set("state", q.State)
	}
	if q.Device != "" {
		query.Set("device", q.Device)
	}
	if q.Ending {
		query.Set("ending", "true")
	}
	return list[api.Waiver](ctx, c, operation.ListWaivers, query, p)
}

// Waive accepts findings, by identifier, until a time.
func (c *Client) Waive(ctx context.Context, findings []int64, until time.Time, reason string) ([]api.Waiver, error) {
	var out struct {
		Items []api.Waiver `json:"items"`
	}
	in := map[string]any{"findings": findings, "until": until, "reason": reason}
	_, err := c.do(ctx, call{op: operation.WaiveFindings, in: in, out: &out})
	return out.Items, err
}

// EndWaiver ends a waiver before its day.
func (c *Client) EndWaiver(ctx context.Context, id string) error {
	_, err := c.do(ctx, call{op: operation.EndWaiver, parts: []string{id}})
	return err
}

// DecideWaiver agrees to a waiver that waits for a second person, or refuses it.
func (c *Client) DecideWaiver(ctx context.Context, id string, agree bool) error {
	in := map[string]bool{"agree": agree}
	_, err := c.do(ctx, call{op: operation.DecideWaiver, parts: []string{id}, in: in})
	return err
}
