package client

import (
	"context"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
)

// RetireDevice retires a device, and says why.
func (c *Client) RetireDevice(ctx context.Context, idOrName string, why api.Retirement) error {
	_, err := c.do(ctx, call{op: operation.RetireDevice, parts: []string{idOrName}, in: why})
	return err
}

// Handover is the signed sheet of what was in force on a device, who could get in and who saw which password.
func (c *Client) Handover(ctx context.Context, idOrName string) (api.HandoverSheet, error) {
	out, _, err := get[api.HandoverSheet](ctx, c, operation.DeviceHandover, nil, idOrName)
	return out, err
}

// Handovers lists a page of such sheets, of the devices of a group.
func (c *Client) Handovers(ctx context.Context, group string, p Page) (List[api.HandoverSheet], error) {
	return list[api.HandoverSheet](ctx, c, operation.ListHandovers, values("group", group), p)
}
