package client

import (
	"context"
	"net/url"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
)

// Operators lists operators by name.
func (c *Client) Operators(ctx context.Context, p Page) (List[api.Operator], error) {
	return list[api.Operator](ctx, c, operation.ListOperators, nil, p)
}

// Roles lists the roles with what each may do, the least first.
func (c *Client) Roles(ctx context.Context) ([]api.RoleRights, error) {
	all, err := list[api.RoleRights](ctx, c, operation.ListRoles, nil, Page{})
	return all.Items, err
}

// CreateOperator creates an operator.
func (c *Client) CreateOperator(ctx context.Context, name, password string, roles ...api.Role) (api.Operator, error) {
	var out api.Operator
	_, err := c.do(ctx, call{
		op:  operation.CreateOperator,
		in:  map[string]any{"name": name, "password": password, "roles": roles},
		out: &out,
	})
	return out, err
}

// OperatorChange is what may be changed of an operator; nil leaves a thing as it is.
type OperatorChange struct {
	Roles    []api.Role `json:"roles,omitempty"`
	Password *string    `json:"password,omitempty"`
	Disabled *bool      `json:"disabled,omitempty"`
	// ResetSecondFactor takes the second factor away.
	ResetSecondFactor bool `json:"reset_second_factor,omitempty"`
}

// EditOperator edits an operator, whose sessions and tokens end.
func (c *Client) EditOperator(ctx context.Context, name string, change OperatorChange) (api.Operator, error) {
	var out api.Operator
	_, err := c.do(ctx, call{op: operation.EditOperator, parts: []string{name}, in: change, out: &out})
	return out, err
}

// Settings are how the service is configured, in words and without secrets.
func (c *Client) Settings(ctx context.Context) ([]api.Setting, error) {
	return whole[api.Setting](ctx, c, operation.ListSettings)
}

// Tokens lists API tokens, newest first: the caller's own, or for owners everybody's.
func (c *Client) Tokens(ctx context.Context, all bool, p Page) (List[api.Token], error) {
	query := url.Values{}
	if all {
		query.Set("all", "true")
	}
	return list[api.Token](ctx, c, operation.ListTokens, query, p)
}
