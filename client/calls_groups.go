package client

import (
	"context"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
)

// Groups lists groups; search is part of a name.
func (c *Client) Groups(ctx context.Context, search string, p Page) (List[api.GroupSummary], error) {
	return list[api.GroupSummary](ctx, c, operation.ListGroups, values("search", search), p)
}

// Group reads a group.
func (c *Client) Group(ctx context.Context, name string) (api.Group, error) {
	out, _, err := get[api.Group](ctx, c, operation.ShowGroup, nil, name)
	return out, err
}

// GroupDevices lists the names in a group.
func (c *Client) GroupDevices(ctx context.Context, name string, p Page) (List[api.GroupMember], error) {
	return list[api.GroupMember](ctx, c, operation.ListGroupDevices, nil, p, name)
}

// GroupSpec is what a group is to be: a list of devices, or a rule.
type GroupSpec struct {
	Name        string   `json:"name"`
	Description string   `json:"description,omitempty"`
	Devices     []string `json:"devices,omitempty"`
	Rule        string   `json:"rule,omitempty"`
}

// CreateGroup creates a group.
func (c *Client) CreateGroup(ctx context.Context, g GroupSpec) (api.Group, error) {
	var out api.Group
	_, err := c.do(ctx, call{op: operation.CreateGroup, in: g, out: &out})
	return out, err
}

// GroupEdit is a change of a group; what is nil or empty stays as it is.
type GroupEdit struct {
	Description *string  `json:"description,omitempty"`
	Rule        *string  `json:"rule,omitempty"`
	Add         []string `json:"add,omitempty"`
	Remove      []string `json:"remove,omitempty"`
}

// EditGroup edits the version of a group that the caller read.
func (c *Client) EditGroup(ctx context.Context, name string, edit GroupEdit, over int64) (api.Group, error) {
	var out api.Group
	_, err := c.do(ctx, call{op: operation.EditGroup, parts: []string{name}, in: edit, out: &out, ifMatch: over})
	return out, err
}

// TestRule lists the devices that a rule would match.
func (c *Client) TestRule(ctx context.Context, rule string) (api.RuleTrial, error) {
	var out api.RuleTrial
	_, err := c.do(ctx, call{op: operation.TestRule, in: map[string]string{"rule": rule}, out: &out})
	return out, err
}

// DeleteGroup deletes the version of a group that the caller read.
func (c *Client) DeleteGroup(ctx context.Context, name string, over int64) error {
	_, err := c.do(ctx, call{op: operation.DeleteGroup, parts: []string{name}, ifMatch: over})
	return err
}
