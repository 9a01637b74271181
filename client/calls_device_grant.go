package client

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
)

// Asked is a request for a token that waits for a person (RFC 8628).
type Asked struct {
	DeviceCode string `json:"device_code"`
	UserCode   string `json:"user_code"`
	Page       string `json:"verification_uri"`
	WholePage  string `json:"verification_uri_complete"` // with the code in it
	Expires    int    `json:"expires_in"`                // seconds
	Interval   int    `json:"interval"`                  // seconds between two polls
}

// Errors of waiting for a person.
var (
	ErrRefusedByPerson = errors.New("it was refused in the console")
	ErrNobodyDecided   = errors.New("nobody decided in time; begin again")
)

// AskForToken asks for a token as a program without a browser; a person decides in the console.
func (c *Client) AskForToken(ctx context.Context, program string, hours int) (asked Asked, err error) {
	form := url.Values{"program": {program}, "hours": {strconv.Itoa(hours)}}
	_, err = c.form(ctx, operation.AskForToken, form, &asked)
	return asked, err
}

// AwaitToken polls until the person has decided.
func (c *Client) AwaitToken(ctx context.Context, asked Asked) (made api.NewToken, err error) {
	form := url.Values{"grant_type": {"urn:ietf:params:oauth:grant-type:device_code"},
		"device_code": {asked.DeviceCode}}
	for wait := time.Duration(asked.Interval) * time.Second; ; {
		select {
		case <-ctx.Done():
			return made, ctx.Err()
		case <-time.After(wait):
		}
		var token struct {
			Secret string `json:"access_token"`
			ID     string `json:"token_id"`
		}
		switch name, err := c.form(ctx, operation.TakeToken, form, &token); {
		case err != nil:
			return made, err
		case name == "slow_down":
			wait += time.Second
		case name == "access_denied":
			return made, ErrRefusedByPerson
		case name == "expired_token":
			return made, ErrNobodyDecided
		case name == "":
			made.ID, made.Secret = token.ID, token.Secret
			return made, nil
		case name != "authorization_pending":
			return made, fmt.Errorf("the service answered %s", name)
		}
	}
}

// form sends a form as OAuth has it; name is that of its error, empty for none.
func (c *Client) form(ctx context.Context, op *operation.Operation, form url.Values, out any) (name string, err error) {
	req, err := http.NewRequestWithContext(ctx, op.Method, c.base+op.URL(), strings.NewReader(form.Encode()))
	if err != nil {
		return "", fmt.Errorf("the address of the service cannot be used: %w", err)
	}
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	resp, err := c.http.Do(req)
	if err != nil {
		return "", fmt.Errorf("%w at %s: %w", ErrUnreachable, c.base, errors.Unwrap(err))
	}
	defer resp.Body.Close()
	decoder := json.NewDecoder(resp.Body)
	if resp.StatusCode == http.StatusOK {
		return "", decoder.Decode(out)
	}
	var refused struct {
		Error  string `json:"error"`
		Detail string `json:"detail"`
	}
	if err := decoder.Decode(&refused); err != nil || refused.Error == "" {
		return "", &Problem{Status: resp.StatusCode, Detail: refused.Detail}
	}
	return refused.Error, nil
}

// DeviceGrant is a program that waits, by the code that it shows.
func (c *Client) DeviceGrant(ctx context.Context, code string) (api.DeviceGrant, error) {
	out, _, err := get[api.DeviceGrant](ctx, c, operation.ShowDeviceGrant, nil, code)
	return out, err
}

// DecideDeviceGrant lets a program act as whoever is signed in, or refuses it.
func (c *Client) DecideDeviceGrant(ctx context.Context, code string, approve bool) error {
	in := map[string]bool{"approve": approve}
	_, err := c.do(ctx, call{op: operation.DecideDeviceGrant, parts: []string{code}, in: in})
	return err
}
