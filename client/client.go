// Package client speaks the operators' API of Rank Warden. It is what the command line uses, and
// can be imported by other programs.
//
//	c := client.New("http://127.0.0.1:8470", token)
//	page, err := c.Devices(ctx, client.DeviceQuery{Standing: "drifted"}, client.Page{})
//
// The error of every call is a [*Problem] where the service refused it, which says what is wrong and the way out, and
// otherwise says why the service could not be reached or its answer not be read.
package client

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"strconv"
	"strings"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/policy"
)

// Client speaks with one service, as whoever the token belongs to.
type Client struct {
	base  string
	token string
	http  *http.Client
	look  Looking
	seen  Seen
}

// Seen is what somebody has seen before they do something, and why they do it.
type Seen struct {
	Digest string // of the preview, empty for none
	Reason string
}

// Expect has the next calls that may alter what devices are told do what was seen, or nothing.
func (c *Client) Expect(seen Seen) *Client { c.seen = seen; return c }

// Looking is asked where the service wants somebody to look before it does something: at a preview, nil where only a
// reason is wanted. It gives the reason, and the call is made again as one that has looked; its error becomes that of
// the call, and nothing is done.
type Looking func(ctx context.Context, preview *api.Preview) (reason string, err error)

// Look has calls ask before they do what must be looked at first. Without it they give the refusal that says so.
func (c *Client) Look(look Looking) *Client { c.look = look; return c }

// New makes a client. Without a token, sign in first.
func New(base, token string) *Client {
	jar, _ := cookiejar.New(nil) // never fails without options
	return &Client{base: strings.TrimRight(base, "/"), token: token, http: &http.Client{Jar: jar}}
}

// WithoutToken is a client of the same service for whoever signs in with it next.
func (c *Client) WithoutToken() *Client { return New(c.base, "").Look(c.look) }

// Problem is a refusal of the service, RFC 9457.
type Problem struct {
	Title    string           `json:"title"`
	Status   int              `json:"status"`
	Detail   string           `json:"detail"`
	Code     string           `json:"code"`
	Errors   []Misfit         `json:"errors"`
	Problems []policy.Problem `json:"problems"`
	Preview  *api.Preview     `json:"preview"` // what it would do, where you must look first
	Waits    string           `json:"waits"`   // the change, or what is held, that waits for somebody now
}

// Misfit is one thing in a request that does not fit its description.
type Misfit struct {
	Location string `json:"location"`
	Message  string `json:"message"`
}

func (p *Problem) Error() string {
	var b strings.Builder
	b.WriteString(p.Detail)
	for _, e := range p.Errors {
		if e.Message != p.Detail {
			fmt.Fprintf(&b, "\n  %s: %s", e.Location, e.Message)
		}
	}
	for _, problem := range p.Problems {
		fmt.Fprintf(&b, "\n  %s", problem)
	}
	return b.String()
}

// ErrUnreachable is matched when the service does not answer.
var ErrUnreachable = errors.New("the service does not answer")

type call struct {
	op      *operation.Operation
	parts   []string // that its path lacks, in order
	query   url.Values
	in, out any
	raw     []byte // sent as it is, instead of in
	ifMatch int64
}

// do carries out a call, and gives the version in the answer's ETag, 0 without one.
func (c *Client) do(ctx context.Context, x call) (version int64, err error) {
	if x.op.Gated {
		x = x.having(c.seen)
	}
	resp, err := c.send(ctx, x)
	for tries := 0; c.look != nil && tries < mostLooks && mustLook(err); tries++ {
		if x, err = c.looked(ctx, x, err); err != nil {
			return 0, err
		}
		resp, err = c.send(ctx, x)
	}
	if err != nil {
		return 0, err
	}
	defer resp.Body.Close()
	version, _ = strconv.ParseInt(strings.Trim(resp.Header.Get("ETag"), `"`), 10, 64)
	if x.out == nil || resp.StatusCode == http.StatusNoContent {
		return version, nil
	}
	if err := json.NewDecoder(resp.Body).Decode(x.out); err != nil {
		return version, fmt.Errorf("the answer of the service cannot be read: %w", err)
	}
	return version, nil
}

// mostLooks is how often a call is made again: what it would do may be something else each time.
const mostLooks = 3

// mustLook reports whether a call was refused until somebody has looked, or said why.
func mustLook(err error) bool {
	var p *Problem
	return errors.As(err, &p) && (p.Code == "look_first" && p.Preview != nil || p.Code == "say_why")
}

// looked is a call as it is made by who has looked.
func (c *Client) looked(ctx context.Context, x call, err error) (call, error) {
	var p *Problem
	errors.As(err, &p)
	reason, err := c.look(ctx, p.Preview)
	if err != nil {
		return x, err
	}
	seen := Seen{Reason: reason}
	if p.Preview != nil {
		seen.Digest = p.Preview.Digest
	}
	return x.having(seen), nil
}

// having is a call by somebody who has seen what it does.
func (x call) having(seen Seen) call {
	query := url.Values{}
	maps.Copy(query, x.query)
	if seen.Digest != "" {
		query.Set("seen", seen.Digest)
	}
	if seen.Reason != "" {
		query.Set("reason", seen.Reason)
	}
	x.query = query
	return x
}

func (c *Client) send(ctx context.Context, x call) (*http.Response, error) {
	var body io.Reader
	if x.in != nil {
		data, err := json.Marshal(x.in)
		if err != nil {
			return nil, fmt.Errorf("writing the request: %w", err)
		}
		body = bytes.NewReader(data)
	}
	if x.raw != nil {
		body = bytes.NewReader(x.raw)
	}
	target := c.base + x.op.URL(x.parts...)
	if len(x.query) > 0 {
		target += "?" + x.query.Encode()
	}
	req, err := http.NewRequestWithContext(ctx, x.op.Method, target, body)
	if err != nil {
		return nil, fmt.Errorf("the address of the service cannot be used: %w", err)
	}
	if x.in != nil {
		req.Header.Set("Content-Type", "application/json")
	} else if x.raw != nil {
		req.Header.Set("Content-Type", "text/plain; charset=utf-8")
	}
	if c.token != "" {
		req.Header.Set("Authorization", "Bearer "+c.token)
	}
	if x.ifMatch != 0 {
		req.Header.Set("If-Match", `"`+strconv.FormatInt(x.ifMatch, 10)+`"`)
	}
	resp, err := c.http.Do(req)
	if err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, fmt.Errorf("%w at %s: %w", ErrUnreachable, c.base, errors.Unwrap(err))
	}
	if resp.StatusCode < 400 {
		return resp, nil
	}
	defer resp.Body.Close()
	p := &Problem{}
	if json.NewDecoder(io.LimitReader(resp.Body, 1<<20)).Decode(p) != nil || p.Detail == "" {
		p.Detail = "the service answered " + resp.Status + "; is this its address?"
	}
	p.Status = resp.StatusCode
	return nil, p
}

// Page asks for a page of a list. The zero Page is the first one.
type Page struct {
	Cursor string
	Limit  int // 0 for the service's default
}

// List is one page of a list.
type List[T any] struct {
	Items []T    `json:"items"`
	Next  string `json:"next"` // cursor of the next page, empty on the last
}

func list[T any](
	ctx context.Context, c *Client, op *operation.Operation, query url.Values, p Page, parts ...string,
) (List[T], error) {
	if query == nil {
		query = url.Values{}
	}
	if p.Cursor != "" {
		query.Set("cursor", p.Cursor)
	}
	if p.Limit > 0 {
		query.Set("limit", strconv.Itoa(p.Limit))
	}
	var out List[T]
	_, err := c.do(ctx, call{op: op, parts: parts, query: query, out: &out})
	return out, err
}

// All reads every page of a list, whole pages until there are most entries, 0 for no limit.
func All[T any](most int, read func(p Page) (List[T], error)) ([]T, error) {
	var items []T
	for p := (Page{Limit: 500}); ; {
		page, err := read(p)
		if err != nil {
			return items, err
		}
		items = append(items, page.Items...)
		if page.Next == "" || most > 0 && len(items) >= most {
			return items, nil
		}
		p.Cursor = page.Next
	}
}

func values(pairs ...string) url.Values {
	v := url.Values{}
	for i := 0; i < len(pairs); i += 2 {
		if pairs[i+1] != "" {
			v.Set(pairs[i], pairs[i+1])
		}
	}
	return v
}

func get[T any](
	ctx context.Context, c *Client, op *operation.Operation, query url.Values, parts ...string,
) (T, int64, error) {
	var out T
	version, err := c.do(ctx, call{op: op, parts: parts, query: query, out: &out})
	return out, version, err
}
