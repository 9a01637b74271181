package client

import (
	"context"
	"net/url"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
)

// AccountQuery narrows a list of account names; the zero one has all.
type AccountQuery struct {
	Search     string
	Unknown    bool // only of accounts that no policy manages and that are not built in
	Privileged bool
	Group      string
}

// Accounts lists a page of names of local accounts.
func (c *Client) Accounts(ctx context.Context, q AccountQuery, p Page) (List[api.AccountName], error) {
	query := values("search", q.Search, "group", q.Group)
	for name, on := range map[string]bool{"unknown": q.Unknown, "privileged": q.Privileged} {
		if on {
			query.Set(name, "true")
		}
	}
	return list[api.AccountName](ctx, c, operation.ListAccounts, query, p)
}

// AccountDevices lists a page of the devices that have a local account of a name.
func (c *Client) AccountDevices(ctx context.Context, name string, p Page) (List[api.LocalAccount], error) {
	return list[api.LocalAccount](ctx, c, operation.ListAccountDevices, url.Values{"name": {name}}, p)
}

// Memberships lists a page of the devices on which somebody is in local groups whose members can take the device over,
// or in any.
func (c *Client) Memberships(ctx context.Context, principal string, all bool, p Page) (List[api.LocalMember], error) {
	query := url.Values{"principal": {principal}}
	if all {
		query.Set("all", "true")
	}
	return list[api.LocalMember](ctx, c, operation.ListMemberships, query, p)
}

// Administrators lists who is in local groups of a device whose members can take it over.
func (c *Client) Administrators(ctx context.Context, device string) ([]api.LocalMember, error) {
	all, err := list[api.LocalMember](ctx, c, operation.DeviceAdministrators, nil, Page{}, device)
	return all.Items, err
}

// InventoryChanges lists a page of what changed in the accounts and members of a device, the latest first.
func (c *Client) InventoryChanges(ctx context.Context, device string, p Page) (List[api.InventoryChange], error) {
	return list[api.InventoryChange](ctx, c, operation.DeviceInventoryChanges, nil, p, device)
}

// LeftBehind lists a page of the accounts that a policy managed once and none does any more; group is empty for all
// devices.
func (c *Client) LeftBehind(ctx context.Context, group string, p Page) (List[api.LocalAccount], error) {
	return list[api.LocalAccount](ctx, c, operation.ListLeftBehind, values("group", group), p)
}

// PreviewAccountOrder says what an order to disable or remove a local account would do.
func (c *Client) PreviewAccountOrder(ctx context.Context, o api.AccountOrder) (api.AccountOrderPreview, error) {
	var out api.AccountOrderPreview
	_, err := c.do(ctx, call{op: operation.PreviewAccountOrder, in: o, out: &out})
	return out, err
}

// OrderAccount orders devices to disable or remove a local account, as it was seen.
func (c *Client) OrderAccount(ctx context.Context, o api.SeenAccountOrder) (api.OrderProgress, error) {
	var out api.OrderProgress
	_, err := c.do(ctx, call{op: operation.OrderAccount, in: o, out: &out})
	return out, err
}
