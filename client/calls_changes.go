package client

import (
	"context"
	"net/url"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
)

// Changes lists changes, the latest altered first; of some states when any is given.
func (c *Client) Changes(ctx context.Context, states []string, search string, p Page) (List[api.ChangeSummary], error) {
	query := values("search", search)
	if query == nil {
		query = url.Values{}
	}
	query["state"] = states
	return list[api.ChangeSummary](ctx, c, operation.ListChanges, query, p)
}

// CreateChange starts an empty change.
func (c *Client) CreateChange(ctx context.Context, name, title, reason string) (api.Change, error) {
	var out api.Change
	in := map[string]string{"name": name, "title": title, "reason": reason}
	_, err := c.do(ctx, call{op: operation.CreateChange, in: in, out: &out})
	return out, err
}

// Change reads a change with its edits.
func (c *Client) Change(ctx context.Context, name string) (api.ChangeDetail, error) {
	out, _, err := get[api.ChangeDetail](ctx, c, operation.ShowChange, nil, name)
	return out, err
}

// ChangeHistory lists what happened to a change, newest first.
func (c *Client) ChangeHistory(ctx context.Context, name string, p Page) (List[api.ChangeEvent], error) {
	return list[api.ChangeEvent](ctx, c, operation.ChangeHistory, nil, p, name)
}

// DescribeChange gives a change of a version another title and reason.
func (c *Client) DescribeChange(ctx context.Context, name, title, reason string, over int64) (api.ChangeDetail, error) {
	var out api.ChangeDetail
	in := map[string]string{"title": title, "reason": reason}
	_, err := c.do(ctx, call{op: operation.EditChange, parts: []string{name}, in: in, out: &out, ifMatch: over})
	return out, err
}

// AddEdit adds an edit to a change; it takes the place of an earlier edit of the same thing.
func (c *Client) AddEdit(ctx context.Context, change string, edit api.ChangeEdit) (api.EditResult, error) {
	var out api.EditResult
	_, err := c.do(ctx, call{op: operation.AddEdit, parts: []string{change}, in: edit, out: &out})
	return out, err
}

// ReplaceEdit is [Client.AddEdit] over the version of the edit of the same thing that its author read, 0 when there was
// none. When somebody edited the thing in this change meanwhile, nothing is altered.
func (c *Client) ReplaceEdit(
	ctx context.Context, change string, edit api.ChangeEdit, replaces int64,
) (api.EditResult, error) {
	var out api.EditResult
	in := api.PutEdit{ChangeEdit: edit, Replaces: &replaces}
	_, err := c.do(ctx, call{op: operation.AddEdit, parts: []string{change}, in: in, out: &out})
	return out, err
}

// DeleteEdit takes the edit of a policy, assignment or group out of a change.
func (c *Client) DeleteEdit(ctx context.Context, change, typ, thing string) (api.ChangeDetail, error) {
	var out api.ChangeDetail
	_, err := c.do(ctx, call{op: operation.DeleteEdit, parts: []string{change, typ, thing}, out: &out})
	return out, err
}

// DropChange drops a change; none of its edits is made.
func (c *Client) DropChange(ctx context.Context, name, reason string) (api.ChangeDetail, error) {
	return c.changeStep(ctx, name, operation.DropChange, map[string]any{"reason": reason})
}

// ApplyChange applies a change to all devices at once, or has it wait for a second person. Digest is that of the
// preview that the caller has seen.
func (c *Client) ApplyChange(ctx context.Context, name, digest string) (api.ChangeDetail, error) {
	return c.changeStep(ctx, name, operation.ApplyChange, map[string]any{"digest": digest})
}

// RevertChange drafts the opposite of a change that went out.
func (c *Client) RevertChange(ctx context.Context, name, reason string) (api.ChangeDetail, error) {
	return c.changeStep(ctx, name, operation.RevertChange, map[string]any{"reason": reason})
}

// DecideChange approves or refuses a change that waits for a second person, as in the preview of the digest.
func (c *Client) DecideChange(
	ctx context.Context, name string, approve bool, reason, digest string,
) (api.ChangeDetail, error) {
	return c.changeStep(ctx, name, operation.DecideChange,
		map[string]any{"approve": approve, "reason": reason, "digest": digest})
}

func (c *Client) changeStep(
	ctx context.Context, name string, op *operation.Operation, in any,
) (api.ChangeDetail, error) {
	var out api.ChangeDetail
	_, err := c.do(ctx, call{op: op, parts: []string{name}, in: in, out: &out})
	return out, err
}

// Approvers lists who can approve a change that waits.
func (c *Client) Approvers(ctx context.Context, name string, p Page) (List[api.Approver], error) {
	return list[api.Approver](ctx, c, operation.ChangeApprovers, nil, p, name)
}

// PreviewChange says what a change would do.
func (c *Client) PreviewChange(ctx context.Context, name string) (api.Preview, error) {
	out, _, err := get[api.Preview](ctx, c, operation.PreviewChange, nil, name)
	return out, err
}

// PreviewDevices lists what a change would do, device by device.
func (c *Client) PreviewDevices(ctx context.Context, name string, p Page) (List[api.AffectedDevice], error) {
	return list[api.AffectedDevice](ctx, c, operation.PreviewDevices, nil, p, name)
}

// PreviewEdits says what some edits would do, without storing them.
func (c *Client) PreviewEdits(ctx context.Context, edits []api.ChangeEdit) (api.Preview, error) {
	var out api.Preview
	in := map[string]any{"edits": edits}
	_, err := c.do(ctx, call{op: operation.PreviewEdits, in: in, out: &out})
	return out, err
}

// Ladder shows how assignments decide the settings of a device, of a group, or of the fleet when neither is named; as
// if some edits were made.
func (c *Client) Ladder(ctx context.Context, device, group string, edits ...api.ChangeEdit) (api.Ladder, error) {
	var out api.Ladder
	in := struct {
		Device string           `json:"device,omitempty"`
		Group  string           `json:"group,omitempty"`
		Edits  []api.ChangeEdit `json:"edits,omitempty"`
	}{device, group, edits}
	_, err := c.do(ctx, call{op: operation.ShowLadder, in: in, out: &out})
	return out, err
}
