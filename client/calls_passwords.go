package client

import (
	"context"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
)

// PasswordQuery narrows a list of passwords.
type PasswordQuery struct {
	Search  string // part of the device's name or serial, or of the account's name
	Group   string
	Overdue bool
	Retired bool // of retired devices, and of no others
	// Unrecovered narrows to those without a copy sealed to a recovery key.
	Unrecovered bool
}

// Passwords lists the passwords that devices change, by device.
func (c *Client) Passwords(ctx context.Context, q PasswordQuery, p Page) (List[api.Password], error) {
	query := values("search", q.Search, "group", q.Group)
	for name, set := range map[string]bool{"overdue": q.Overdue, "unrecovered": q.Unrecovered, "retired": q.Retired} {
		if set {
			query.Set(name, "true")
		}
	}
	return list[api.Password](ctx, c, operation.ListPasswords, query, p)
}

// DevicePasswords are the passwords of one device, with their deposits.
func (c *Client) DevicePasswords(ctx context.Context, device string) ([]api.DevicePassword, error) {
	var out struct {
		Items []api.DevicePassword `json:"items"`
	}
	_, err := c.do(ctx, call{op: operation.DevicePasswords, parts: []string{device}, out: &out})
	return out.Items, err
}

// Reveal shows a password; the reason is put on the trail first.
func (c *Client) Reveal(ctx context.Context, device string, r api.RevealSpec) (api.RevealResult, error) {
	var out api.RevealResult
	_, err := c.do(ctx, call{op: operation.RevealPassword, parts: []string{device}, in: r, out: &out})
	return out, err
}

// SignInAgain gives the password of who is signed in, so that for a while it counts as fresh.
func (c *Client) SignInAgain(ctx context.Context, password string) error {
	return c.SignInAgainWithCode(ctx, password, "")
}

// SignInAgainWithCode is SignInAgain for who has a second factor.
func (c *Client) SignInAgainWithCode(ctx context.Context, password, code string) error {
	in := api.Proof{Password: password, Code: code}
	_, err := c.do(ctx, call{op: operation.SignInAgain, in: in})
	return err
}

// ChangeOwnPassword gives whoever is signed in another password; their other sessions and their tokens end. The code is
// that of a second factor, empty for none.
func (c *Client) ChangeOwnPassword(ctx context.Context, now, code, next string) error {
	in := api.NewPassword{Proof: api.Proof{Password: now, Code: code}, NewPassword: next}
	_, err := c.do(ctx, call{op: operation.ChangeOwnPassword, in: in})
	return err
}

// Reveals lists who saw passwords, latest first, of one device when it is named.
func (c *Client) Reveals(ctx context.Context, q PastQuery, p Page) (List[api.Reveal], error) {
	return list[api.Reveal](ctx, c, operation.ListReveals, q.values(), p)
}

// DevicePeople lists who may do what on a device, or who has one right there.
func (c *Client) DevicePeople(ctx context.Context, device, right string, p Page) (List[api.DevicePerson], error) {
	return list[api.DevicePerson](ctx, c, operation.DevicePeople, values("right", right), p, device)
}

// Approvals lists reveals that wait for a second person, latest first.
func (c *Client) Approvals(ctx context.Context, p Page) (List[api.Approval], error) {
	return list[api.Approval](ctx, c, operation.ListApprovals, nil, p)
}

// DecideReveal approves a reveal beyond somebody's budget, or declines it.
func (c *Client) DecideReveal(ctx context.Context, id string, approve bool) error {
	_, err := c.do(ctx, call{
		op: operation.DecideApproval, parts: []string{id},
		in: map[string]bool{"approve": approve},
	})
	return err
}

// Sheets lists sealed sheets, the latest first.
func (c *Client) Sheets(ctx context.Context, p Page) (List[api.Sheet], error) {
	return list[api.Sheet](ctx, c, operation.ListSheets, nil, p)
}

// Sheet finds a sealed sheet, without what is sealed.
func (c *Client) Sheet(ctx context.Context, id string) (api.Sheet, error) {
	var out api.Sheet
	_, err := c.do(ctx, call{op: operation.ShowSheet, parts: []string{id}, out: &out})
	return out, err
}

// MakeSheet seals passwords for use without the service. Where a second person must approve it, nothing is sealed yet.
func (c *Client) MakeSheet(ctx context.Context, spec api.SheetSpec) (api.MadeSheet, error) {
	var out api.MadeSheet
	_, err := c.do(ctx, call{op: operation.MakeSheet, in: spec, out: &out})
	return out, err
}

// CollectSheet has a sealed sheet made that a second person approved.
func (c *Client) CollectSheet(ctx context.Context, id string) (api.MadeSheet, error) {
	var out api.MadeSheet
	_, err := c.do(ctx, call{op: operation.CollectSheet, parts: []string{id}, out: &out})
	return out, err
}

// DecideSheet approves a sealed sheet that somebody else asked for, or declines it.
func (c *Client) DecideSheet(ctx context.Context, id string, approve bool) error {
	_, err := c.do(ctx, call{
		op: operation.DecideSheet, parts: []string{id},
		in: map[string]bool{"approve": approve},
	})
	return err
}
