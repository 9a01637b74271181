package client

import (
	"context"
	"net/url"
	"strconv"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
)

// NotificationTargets lists targets by name.
func (c *Client) NotificationTargets(ctx context.Context, p Page) (List[api.NotificationTarget], error) {
	return list[api.NotificationTarget](ctx, c, operation.ListNotificationTargets, nil, p)
}

// NotificationTarget is one, with the version to edit.
func (c *Client) NotificationTarget(ctx context.Context, name string) (api.NotificationTarget, error) {
	out, _, err := get[api.NotificationTarget](ctx, c, operation.ShowNotificationTarget, nil, name)
	return out, err
}

// CreateNotificationTarget creates one; its secret is given this once.
func (c *Client) CreateNotificationTarget(
	ctx context.Context, name string, spec api.NotificationTargetSpec,
) (out api.NewNotificationTarget, err error) {
	in := struct {
		Name string `json:"name"`
		api.NotificationTargetSpec
	}{name, spec}
	_, err = c.do(ctx, call{op: operation.CreateNotificationTarget, in: in, out: &out})
	return out, err
}

// EditNotificationTarget edits the version of a target that was read.
func (c *Client) EditNotificationTarget(
	ctx context.Context, name string, version int64, spec api.NotificationTargetSpec,
) (out api.NewNotificationTarget, err error) {
	_, err = c.do(ctx, call{op: operation.EditNotificationTarget, parts: []string{name}, in: spec, out: &out,
		ifMatch: version})
	return out, err
}

// DeleteNotificationTarget deletes the version of a target that was read.
func (c *Client) DeleteNotificationTarget(ctx context.Context, name string, version int64) error {
	_, err := c.do(ctx, call{op: operation.DeleteNotificationTarget, parts: []string{name}, ifMatch: version})
	return err
}

// TestNotificationTarget sends a test message now.
func (c *Client) TestNotificationTarget(ctx context.Context, name string) (out api.TargetTest, err error) {
	_, err = c.do(ctx, call{op: operation.TestNotificationTarget, parts: []string{name}, out: &out})
	return out, err
}

// SendAgain has failed deliveries to a target tried again: one, or all where delivery is 0.
func (c *Client) SendAgain(ctx context.Context, name string, delivery int64) (out api.SentAgain, err error) {
	query := url.Values{}
	if delivery != 0 {
		query.Set("delivery", strconv.FormatInt(delivery, 10))
	}
	_, err = c.do(ctx, call{
		op: operation.SendAgain, parts: []string{name}, query: query, out: &out,
	})
	return out, err
}

// DeliveryQuery narrows deliveries.
type DeliveryQuery struct{ Target, State, Event string }

// Deliveries lists deliveries, latest first.
func (c *Client) Deliveries(ctx context.Context, q DeliveryQuery, p Page) (List[api.Delivery], error) {
	return list[api.Delivery](ctx, c, operation.ListDeliveries,
		values("target", q.Target, "state", q.State, "event", q.Event), p)
}
