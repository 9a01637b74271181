package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	"rankwarden.example/api"
)

// NotificationTargets lists targets by name.
func (c *Client) NotificationTargets(ctx context.Context, p Page) (List[api.NotificationTarget], error) {
	return list[api.NotificationTarget](ctx, c, "/notification-targets", nil, p)
}

// NotificationTarget is one, with the version to edit.
func (c *Client) NotificationTarget(ctx context.Context, name string) (api.NotificationTarget, error) {
	out, _, err := get[api.NotificationTarget](ctx, c, "/notification-targets/"+url.PathEscape(name), nil)
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
	_, err = c.do(ctx, call{method: http.MethodPost, path: "/notification-targets", in: in, out: &out})
	return out, err
}

// EditNotificationTarget edits the version of a target that was read.
func (c *Client) EditNotificationTarget(
	ctx context.Context, name string, version int64, spec api.NotificationTargetSpec,
) (out api.NewNotificationTarget, err error) {
	_, err = c.do(ctx, call{method: http.MethodPut, path: "/notification-targets/" + url.PathEscape(name), in: spec, out: &out, ifMatch: version})
	return out, err
}

// DeleteNotificationTarget deletes the version of a target that was read.
func (c *Client) DeleteNotificationTarget(ctx context.Context, name string, version int64) error {
	_, err := c.do(ctx, call{method: http.MethodDelete, path: "/notification-targets/" + url.PathEscape(name), ifMatch: version})
	return err
}

// TestNotificationTarget sends a test message now.
func (c *Client) TestNotificationTarget(ctx context.Context, name string) (out api.TargetTest, err error) {
	_, err = c.do(ctx, call{method: http.MethodPost, path: "/notification-targets/" + url.PathEscape(name) + "/test", out: &out})
	return out, err
}

// SendAgain has failed deliveries to a target tried again: one, or all where delivery is 0.
func (c *Client) SendAgain(ctx context.Context, name string, delivery int64) (out api.SentAgain, err error) {
	query := url.Values{}
	if delivery != 0 {
		query.Set("delivery", strconv.FormatInt(delivery, 10))
	}
	_, err = c.do(ctx, call{
		method: http.MethodPost, path: "/notification-targets/" + url.PathEscape(name) + "/send-again", query: query, out: &out,
	})
	return out, err
}

// DeliveryQuery narrows deliveries.
type DeliveryQuery struct{ Target, State, Event string }

// Deliveries lists deliveries, latest first.
func (c *Client) Deliveries(ctx context.Context, q DeliveryQuery, p Page) (List[api.Delivery], error) {
	return list[api.Delivery](ctx, c, "/deliveries", values("target", q.Target, "state", q.State, "event", q.Event), p)
}
