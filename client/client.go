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
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"strconv"
	"strings"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/policy"
)

// Client speaks with one service, as whoever the token belongs to.
type Client struct {
	base  string
	token string
	http  *http.Client
}

// New makes a client. Without a token, sign in first.
func New(base, token string) *Client {
	jar, _ := cookiejar.New(nil) // never fails without options
	return &Client{strings.TrimRight(base, "/"), token, &http.Client{Jar: jar}}
}

// Problem is a refusal of the service, RFC 9457.
type Problem struct {
	Title    string           `json:"title"`
	Status   int              `json:"status"`
	Detail   string           `json:"detail"`
	Code     string           `json:"code"`
	Errors   []Misfit         `json:"errors"`
	Problems []policy.Problem `json:"problems"`
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
	resp, err := c.send(ctx, x)
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
