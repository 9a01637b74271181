package client

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/url"
	"strconv"
	"strings"
	"time"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
)

// SignIn opens a session, which this client then uses.
func (c *Client) SignIn(ctx context.Context, name, password string) (api.Me, error) {
	return c.SignInWithCode(ctx, name, password, "")
}

// CodeNeeded reports whether the code of a second factor is asked for, or another one than was given.
func CodeNeeded(err error) bool {
	var p *Problem
	return errors.As(err, &p) && (p.Code == "code_needed" || p.Code == "code_wrong")
}

// SignInWithCode is SignIn for who has a second factor: with the code of an authenticator, or a recovery code.
func (c *Client) SignInWithCode(ctx context.Context, name, password, code string) (api.Me, error) {
	var me api.Me
	_, err := c.do(ctx, call{
		op:  operation.SignIn,
		in:  map[string]string{"name": name, "password": password, "code": code},
		out: &me,
	})
	return me, err
}

// Me reads who is signed in.
func (c *Client) Me(ctx context.Context) (api.Me, error) {
	me, _, err := get[api.Me](ctx, c, operation.Whoami, nil)
	return me, err
}

// SignOut ends the session.
func (c *Client) SignOut(ctx context.Context) error {
	_, err := c.do(ctx, call{op: operation.SignOut})
	return err
}

// CreateToken creates an API token with the caller's role, or another one when it is given.
func (c *Client) CreateToken(ctx context.Context, name, role string, hours int) (api.NewToken, error) {
	var out api.NewToken
	in := map[string]any{"name": name, "expires_in_hours": hours}
	if role != "" {
		in["role"] = role
	}
	_, err := c.do(ctx, call{op: operation.CreateToken, in: in, out: &out})
	return out, err
}

// RevokeToken revokes one of the caller's tokens.
func (c *Client) RevokeToken(ctx context.Context, id string) error {
	_, err := c.do(ctx, call{op: operation.RevokeToken, parts: []string{id}})
	return err
}

// CheckPolicy checks a document as the service would, without storing it.
func (c *Client) CheckPolicy(ctx context.Context, source string) (api.PolicyCheck, error) {
	var out api.PolicyCheck
	_, err := c.do(ctx, call{op: operation.CheckPolicy, in: api.Document{Source: source}, out: &out})
	return out, err
}

// DeletePolicy deletes the version of a policy that the caller read, with its revisions; one that is in use is refused.
func (c *Client) DeletePolicy(ctx context.Context, name string, over int64) error {
	_, err := c.do(ctx, call{op: operation.DeletePolicy, parts: []string{name}, ifMatch: over})
	return err
}

// DraftPolicy drafts a policy from what the devices of a group have in common, without storing it.
func (c *Client) DraftPolicy(ctx context.Context, in api.DraftRequest) (api.PolicyDraft, error) {
	var out api.PolicyDraft
	_, err := c.do(ctx, call{op: operation.DraftPolicy, in: in, out: &out})
	return out, err
}

// Policies lists policies; search is part of a name or title.
func (c *Client) Policies(ctx context.Context, search string, p Page) (List[api.PolicySummary], error) {
	return list[api.PolicySummary](ctx, c, operation.ListPolicies, values("search", search), p)
}

// Policy reads a policy with its draft.
func (c *Client) Policy(ctx context.Context, name string) (api.Policy, error) {
	out, _, err := get[api.Policy](ctx, c, operation.ShowPolicy, nil, name)
	return out, err
}

// CreatePolicy creates a policy by its first draft.
func (c *Client) CreatePolicy(ctx context.Context, source string) (api.Policy, error) {
	var out api.Policy
	_, err := c.do(ctx, call{op: operation.CreatePolicy, in: api.Document{Source: source}, out: &out})
	return out, err
}

// SavePolicy saves a draft over the version that the caller read.
func (c *Client) SavePolicy(ctx context.Context, name, source string, over int64) (api.Policy, error) {
	var out api.Policy
	_, err := c.do(ctx, call{
		op: operation.SavePolicy, parts: []string{name},
		in:      api.Document{Source: source},
		out:     &out,
		ifMatch: over,
	})
	return out, err
}

// PublishPolicy publishes the draft of a version.
func (c *Client) PublishPolicy(ctx context.Context, name string, over int64) (api.Publication, error) {
	var out api.Publication
	_, err := c.do(ctx, call{op: operation.PublishPolicy, parts: []string{name}, out: &out, ifMatch: over})
	return out, err
}

// Revisions lists the published revisions of a policy, newest first.
func (c *Client) Revisions(ctx context.Context, name string, p Page) (List[api.Revision], error) {
	return list[api.Revision](ctx, c, operation.ListRevisions, nil, p, name)
}

// Revision reads a published document.
func (c *Client) Revision(ctx context.Context, name string, number int) (api.Revision, error) {
	out, _, err := get[api.Revision](ctx, c, operation.ShowRevision, nil, name, strconv.Itoa(number))
	return out, err
}

// Assignments lists assignments by rank, of one policy when it is named.
func (c *Client) Assignments(ctx context.Context, policy string, p Page) (List[api.Assignment], error) {
	return list[api.Assignment](ctx, c, operation.ListAssignments, values("policy", policy), p)
}

// Assignment reads an assignment.
func (c *Client) Assignment(ctx context.Context, name string) (api.Assignment, error) {
	out, _, err := get[api.Assignment](ctx, c, operation.ShowAssignment, nil, name)
	return out, err
}

// CreateAssignment assigns the latest revision of a policy at groups.
func (c *Client) CreateAssignment(ctx context.Context, name string, aim api.Aim) (api.Assignment, error) {
	var out api.Assignment
	in := struct {
		Name string `json:"name"`
		api.Aim
	}{name, aim}
	_, err := c.do(ctx, call{op: operation.CreateAssignment, in: in, out: &out})
	return out, err
}

// EditAssignment edits the version of an assignment that the caller read.
func (c *Client) EditAssignment(ctx context.Context, name string, aim api.Aim, over int64) (api.Assignment, error) {
	var out api.Assignment
	_, err := c.do(ctx, call{op: operation.EditAssignment, parts: []string{name}, in: aim, out: &out, ifMatch: over})
	return out, err
}

// DeleteAssignment deletes the version of an assignment that the caller read.
func (c *Client) DeleteAssignment(ctx context.Context, name string, over int64) error {
	_, err := c.do(ctx, call{op: operation.DeleteAssignment, parts: []string{name}, ifMatch: over})
	return err
}

// EnrolmentTokens lists enrolment tokens, newest first.
func (c *Client) EnrolmentTokens(ctx context.Context, p Page) (List[api.EnrolmentToken], error) {
	return list[api.EnrolmentToken](ctx, c, operation.ListEnrolmentTokens, nil, p)
}

// EnrolmentSpec says what an enrolment token is for, and what devices get as they enrol.
type EnrolmentSpec struct {
	Note   string   `json:"note,omitempty"`
	Uses   int      `json:"uses"`
	Hours  int      `json:"expires_in_hours"`
	Groups []string `json:"groups,omitempty"`
	Path   string   `json:"path,omitempty"`
	Tags   []string `json:"tags,omitempty"`
}

// CreateEnrolmentToken creates an enrolment token.
func (c *Client) CreateEnrolmentToken(ctx context.Context, in EnrolmentSpec) (api.NewEnrolmentToken, error) {
	var out api.NewEnrolmentToken
	_, err := c.do(ctx, call{op: operation.CreateEnrolmentToken, in: in, out: &out})
	return out, err
}

// RevokeEnrolmentToken revokes an enrolment token.
func (c *Client) RevokeEnrolmentToken(ctx context.Context, id string) error {
	_, err := c.do(ctx, call{op: operation.RevokeEnrolmentToken, parts: []string{id}})
	return err
}

// DeviceQuery narrows a list of devices. Empty fields do not.
type DeviceQuery struct {
	Search, Standing, Group, State string
	Unknown                        string // some or privileged: with accounts that no policy manages
}

func (q DeviceQuery) values() url.Values {
	return values("search", q.Search, "standing", q.Standing, "group", q.Group, "state", q.State,
		"unknown_accounts", q.Unknown)
}

// Devices lists devices by name.
func (c *Client) Devices(ctx context.Context, q DeviceQuery, p Page) (List[api.Device], error) {
	return list[api.Device](ctx, c, operation.ListDevices, q.values(), p)
}

// Device reads a device, by identifier or name.
func (c *Client) Device(ctx context.Context, idOrName string) (api.Device, error) {
	out, _, err := get[api.Device](ctx, c, operation.ShowDevice, nil, idOrName)
	return out, err
}

// Standings counts devices by standing.
func (c *Client) Standings(ctx context.Context, q DeviceQuery) (api.Standings, error) {
	out, _, err := get[api.Standings](ctx, c, operation.DeviceStandings, q.values())
	return out, err
}

// Why tells what is asked of a device, what it has, and why.
func (c *Client) Why(ctx context.Context, idOrName string) (api.DeviceWhy, error) {
	out, _, err := get[api.DeviceWhy](ctx, c, operation.DeviceWhy, nil, idOrName)
	return out, err
}

// WhyAt explains a device as it was at a time.
func (c *Client) WhyAt(ctx context.Context, idOrName string, at time.Time) (api.DeviceWhy, error) {
	query := url.Values{"at": {at.UTC().Format(time.RFC3339Nano)}}
	out, _, err := get[api.DeviceWhy](ctx, c, operation.DeviceWhy, query, idOrName)
	return out, err
}

// SettingHistory tells what happened to a setting of a device in the last 30 days, latest first.
func (c *Client) SettingHistory(ctx context.Context, idOrName, setting string) ([]api.Happened, error) {
	out, _, err := get[api.SettingHistory](ctx, c, operation.SettingHistory, url.Values{"setting": {setting}}, idOrName)
	return out.Items, err
}

// Decide accepts a device, refuses it, or takes a retired one back.
func (c *Client) Decide(ctx context.Context, idOrName, decision string) error {
	op := map[string]*operation.Operation{
		"accept": operation.AcceptDevice, "refuse": operation.RefuseDevice, "return": operation.ReturnDevice,
	}[decision]
	if op == nil {
		return fmt.Errorf("nobody can %q a device; accept, refuse or return it", decision)
	}
	_, err := c.do(ctx, call{op: op, parts: []string{idOrName}})
	return err
}

// FindingQuery narrows a list of findings. Empty fields do not; an empty state is open.
type FindingQuery struct {
	State, Unit, Kind, Group, Device string
	Assignment                       string // that decided the setting
	Since, Until                     time.Time
}

func (q FindingQuery) values() url.Values {
	return past(
		values("state", q.State, "unit", q.Unit, "kind", q.Kind, "group", q.Group, "device", q.Device,
			"assignment", q.Assignment),
		q.Since,
		q.Until,
	)
}

// past adds the time that a list of the past is narrowed to.
func past(query url.Values, since, until time.Time) url.Values {
	for name, at := range map[string]time.Time{"since": since, "until": until} {
		if !at.IsZero() {
			query.Set(name, at.UTC().Format(time.RFC3339Nano))
		}
	}
	return query
}

// Findings lists findings, newest first.
func (c *Client) Findings(ctx context.Context, q FindingQuery, p Page) (List[api.Finding], error) {
	return list[api.Finding](ctx, c, operation.ListFindings, q.values(), p)
}

// FindingCounts counts open findings by assignment, group or device, most devices first.
func (c *Client) FindingCounts(ctx context.Context, by string, q FindingQuery) (api.FindingCounts, error) {
	query := q.values()
	query.Set("by", by)
	out, _, err := get[api.FindingCounts](ctx, c, operation.FindingCounts, query)
	return out, err
}

// FindingSums sums findings up by setting and kind, most devices first.
func (c *Client) FindingSums(ctx context.Context, q FindingQuery) ([]api.FindingSum, error) {
	out, _, err := get[List[api.FindingSum]](ctx, c, operation.FindingSums, q.values())
	return out.Items, err
}

// EventQuery narrows a list of events. Empty fields do not.
type EventQuery struct {
	Device, Kind, Group string
	Since, Until        time.Time
}

// Events lists what happened on devices, latest first.
func (c *Client) Events(ctx context.Context, q EventQuery, p Page) (List[api.Event], error) {
	return list[api.Event](
		ctx,
		c,
		operation.ListDeviceEvents, past(values("device", q.Device, "kind", q.Kind, "group", q.Group), q.Since,
			q.Until), p)
}

// SendOrder sends an order to devices, and says how many have it now.
func (c *Client) SendOrder(ctx context.Context, o api.NewOrder) (api.OrderProgress, error) {
	var out api.OrderProgress
	_, err := c.do(ctx, call{op: operation.SendOrder, in: o, out: &out})
	return out, err
}

// OrderProgress says how far the orders are that were sent together.
func (c *Client) OrderProgress(ctx context.Context, batch string) (api.OrderProgress, error) {
	var out api.OrderProgress
	_, err := c.do(ctx, call{op: operation.OrderProgress, parts: []string{batch}, out: &out})
	return out, err
}

// PastQuery narrows a list of what happened. Empty fields do not.
type PastQuery struct {
	Device, Group string
	Since, Until  time.Time
}

func (q PastQuery) values() url.Values {
	return past(values("device", q.Device, "group", q.Group), q.Since, q.Until)
}

// Orders lists orders, latest first.
func (c *Client) Orders(ctx context.Context, q PastQuery, p Page) (List[api.Order], error) {
	return list[api.Order](ctx, c, operation.ListOrders, q.values(), p)
}

// Overview is the fleet now.
func (c *Client) Overview(ctx context.Context) (api.Overview, error) { return c.OverviewOf(ctx, "") }

// OverviewOf is the devices of a group now, of all without one.
func (c *Client) OverviewOf(ctx context.Context, group string) (api.Overview, error) {
	out, _, err := get[api.Overview](ctx, c, operation.Watch, values("group", group))
	return out, err
}

// HeldSettings lists settings that are held, most devices first; of a group when it is named.
func (c *Client) HeldSettings(ctx context.Context, group string) ([]api.HeldSetting, error) {
	out, _, err := get[List[api.HeldSetting]](ctx, c, operation.ListHeldSettings, values("group", group))
	return out.Items, err
}

// LockedAccounts lists locked accounts by device; of a group when it is named.
func (c *Client) LockedAccounts(ctx context.Context, group string, p Page) (List[api.LockedAccount], error) {
	return list[api.LockedAccount](ctx, c, operation.ListLockedAccounts, values("group", group), p)
}

// Notices hands every change to receive until the context ends or the stream breaks off. It begins
// with one empty change, when nothing can be missed any more.
func (c *Client) Notices(ctx context.Context, receive func(api.Notice)) error {
	resp, err := c.send(ctx, call{op: operation.Events})
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	lines := bufio.NewScanner(resp.Body)
	lines.Buffer(nil, 1<<20)
	event := ""
	for lines.Scan() {
		if name, ok := strings.CutPrefix(lines.Text(), "event: "); ok {
			event = name
		}
		data, ok := strings.CutPrefix(lines.Text(), "data: ")
		if !ok || event == "beat" { // which only says that the service is there
			continue
		}
		var change api.Notice
		if err := json.Unmarshal([]byte(data), &change); err != nil {
			return fmt.Errorf("reading changes: %w", err)
		}
		receive(change)
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	return fmt.Errorf("%w: the stream of changes broke off", ErrUnreachable)
}
