package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/e2e/browser"
	"rankwarden.example/internal/face/httpapi"
	"rankwarden.example/internal/wire/audit"
)

func problem(t *testing.T, err error, status int, says string) *client.Problem {
	t.Helper()
	var p *client.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, status, p.Status, p.Detail)
	assert.Contains(t, p.Error(), says)
	return p
}

func TestSignInTokensAndRoles(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	stranger := client.New(s.URL, "").Look(hasLooked)
	_, err := stranger.Overview(ctx)
	problem(t, err, 401, "sign in again")

	look := s.as("bjorn", viewer)
	_, err = look.Policies(ctx, "", client.Page{})
	require.NoError(t, err)
	_, err = look.CreatePolicy(ctx, document("base", "lockout: {threshold: 5}"))
	problem(t, err, 403, "ask an owner")
	_, err = look.CreateToken(ctx, "too much", "owner", 1)
	problem(t, err, 422, "more than your own")

	token, err := s.owner.CreateToken(ctx, "for a program", viewer, 1)
	require.NoError(t, err)
	program := client.New(s.URL, token.Secret).Look(hasLooked)
	me, err := program.Me(ctx)
	require.NoError(t, err)
	assert.Equal(t, []api.Role{{Role: viewer, Groups: []string{}}}, me.Roles)
	require.NoError(t, s.owner.RevokeToken(ctx, token.ID))
	_, err = program.Me(ctx)
	problem(t, err, 401, "revoked")

	short, err := s.owner.CreateToken(ctx, "short", "", 1)
	require.NoError(t, err)
	s.clock.forward(61 * time.Minute)
	_, err = client.New(s.URL, short.Secret).Look(hasLooked).Me(ctx)
	problem(t, err, 401, "expired")
	s.clock.forward(12 * time.Hour)
	_, err = s.owner.Me(ctx)
	problem(t, err, 401, "session has ended")
}

func TestWrongPasswordsAreThrottled(t *testing.T) {
	s := start(t)
	s.clock.stop()
	for range 5 {
		_, err := client.New(s.URL, "").Look(hasLooked).SignIn(t.Context(), "asta", "not this one")
		problem(t, err, 401, "wrong")
	}
	_, err := client.New(s.URL, "").Look(hasLooked).SignIn(t.Context(), "asta", ownerPassword)
	problem(t, err, 429, "try again in")
	s.clock.forward(time.Minute)
	_, err = client.New(s.URL, "").Look(hasLooked).SignIn(t.Context(), "asta", ownerPassword)
	require.NoError(t, err)
}

// What cannot be used is refused with its place and the way out, and nothing of it is stored.
func TestBadInputIsRefusedWithItsPlace(t *testing.T) {
	s := start(t)
	s.publish("base", "lockout: {threshold: 5}", 0)
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	web := &http.Client{Jar: jar}
	send := func(method, path, ifMatch, body string) (int, string, string) {
		req, err := http.NewRequest(method, s.URL+path, strings.NewReader(body))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/json")
		if ifMatch != "" {
			req.Header.Set("If-Match", ifMatch)
		}
		resp, err := web.Do(req)
		require.NoError(t, err)
		defer resp.Body.Close()
		answer, err := io.ReadAll(resp.Body)
		require.NoError(t, err)
		return resp.StatusCode, string(answer), resp.Header.Get("Content-Type")
	}
	status, _, _ := send("POST", "/api/v1/session", "", fmt.Sprintf(`{"name": "asta", "password": %q}`, ownerPassword))
	require.Equal(t, 200, status)
	policy := func(source string) string {
		data, err := json.Marshal(map[string]string{"source": source})
		require.NoError(t, err)
		return string(data)
	}
	for _, c := range []struct {
		method, path, ifMatch, body string
		status                      int
		says                        string
	}{
		{"POST", "/api/v1/policies", "", policy(document("new", "passwords: {min_lenght: 8}")), 422,
			`did you mean \"min_length\"`},
		{"POST", "/api/v1/policies", "", policy(document("new", "lockout: {threshold: 5000}")), 422,
			`"path":"lockout.threshold"`},
		{"POST", "/api/v1/policies", "", policy(document("new", "membership: [{local_group: admins, mode: exact}]")),
			422, "unknown_local_group"},
		{"POST", "/api/v1/policies", "", policy(document("base", "lockout: {threshold: 6}")), 409,
			"choose another name"},
		{"POST", "/api/v1/policies", "", `{"source": 12}`, 422, "body.source"},
		{"POST", "/api/v1/policies", "", `{"sauce": ""}`, 422, "body"},
		{"POST", "/api/v1/policies", "", `{"source"`, 400, "it ends too early"},
		{"POST", "/api/v1/policies", "", policy(strings.Repeat("#", httpapi.MaxBody)), 413, "too large"},
		{"PUT", "/api/v1/policies/base", "", policy(document("base", "lockout: {threshold: 6}")), 428, "If-Match"},
		{"PUT", "/api/v1/policies/base", `"1"`, policy(document("base", "lockout: {threshold: 6}")), 412,
			"read it again"},
		{"PUT", "/api/v1/policies/base", `"2"`, policy(document("other", "lockout: {threshold: 6}")), 422,
			"keeps its name"},
		{"POST", "/api/v1/policies/base/publish", `"2"`, "", 409, "nothing to publish"},
		{"GET", "/api/v1/policies/none", "", "", 404, "check the name"},
		{"GET", "/api/v1/policies/base/revisions/9", "", "", 404, "the latest is 1"},
		{"POST", "/api/v1/assignments", "", `{"name": "a", "policy": "base", "include": ["everythin"], "rank": 5}`, 422,
			`did you mean \"everything\"`},
		{"POST", "/api/v1/assignments", "", `{"name": "a", "policy": "base", "include": ["everything"], "rank": 0}`,
			422, "body.rank"},
		{"POST", "/api/v1/assignments", "", `{"name": "A!", "policy": "base", "include": ["everything"], "rank": 5}`,
			422, "cannot name an assignment"},
		{"POST", "/api/v1/groups", "", `{"name": "everything"}`, 422, "always there"},
		{"POST", "/api/v1/groups", "", `{"name": "g", "devices": ["a/b"]}`, 422, "device 1"},
		{"POST", "/api/v1/groups", "", `{"name": "g", "description": "a\u0000b"}`, 422, "NUL"},
		{"POST", "/api/v1/enrolment-tokens", "", `{"uses": 0, "expires_in_hours": 1}`, 422, "body.uses"},
		{"POST", "/api/v1/operators", "", `{"name": "cara", "password": "short", "roles": [{"role": "viewer", "groups": []}]}`, 422, "at least 12 characters"},
		{"GET", "/api/v1/devices?cursor=nonsense", "", "", 422, "begin again without it"},
		{"GET", "/api/v1/devices?standing=lost", "", "", 422, "query.standing"},
		{"GET", "/api/v1/nothing", "", "", 404, "openapi.json"},
	} {
		status, answer, kind := send(c.method, c.path, c.ifMatch, c.body)
		assert.Equal(t, c.status, status, "%s %s: %s", c.method, c.path, answer)
		assert.Equal(t, "application/problem+json", kind, c.path)
		assert.Contains(t, answer, c.says, "%s %s", c.method, c.path)
		assert.NotContains(t, answer, "short", "what was sent is not sent back")
	}
	policies, err := s.owner.Policies(t.Context(), "", client.Page{})
	require.NoError(t, err)
	require.Len(t, policies.Items, 1)
	assert.Empty(t, policies.Items[0].Assignments)
	groups, err := s.owner.Groups(t.Context(), "", client.Page{})
	require.NoError(t, err)
	assert.Empty(t, groups.Items)
}

func TestEveryListIsPaged(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	for i := range 7 {
		_, err := s.owner.CreateGroup(ctx, client.GroupSpec{
			Name:    fmt.Sprintf("g%d", i),
			Devices: []string{"SKL-TKT-001", fmt.Sprintf("SKL-TKT-10%d", i)},
		})
		require.NoError(t, err)
	}
	var seen []string
	for p := (client.Page{Limit: 3}); ; {
		page, err := s.owner.Groups(ctx, "", p)
		require.NoError(t, err)
		for _, g := range page.Items {
			seen = append(seen, g.Name)
			assert.Equal(t, 2, g.Listed)
		}
		if p.Cursor = page.Next; p.Cursor == "" {
			break
		}
	}
	assert.Equal(t, []string{"g0", "g1", "g2", "g3", "g4", "g5", "g6"}, seen)
	first, err := s.owner.GroupDevices(ctx, "g3", client.Page{Limit: 1})
	require.NoError(t, err)
	second, err := s.owner.GroupDevices(ctx, "g3", client.Page{Limit: 1, Cursor: first.Next})
	require.NoError(t, err)
	assert.Equal(t, "skl-tkt-103", second.Items[0].Device)
	assert.Empty(t, second.Next)
}

func TestTrailIsChainedAndAppendOnly(t *testing.T) {
	s := start(t)
	s.publish("base", "lockout: {threshold: 5}", 500, "everything")
	look := s.as("bjorn", viewer)
	_, err := look.CreateGroup(t.Context(), client.GroupSpec{Name: "mine"})
	problem(t, err, 403, "ask an owner")

	var actions []string
	last, err := audit.Verify(func(yield func(audit.Entry, error) bool) {
		for e, err := range s.db.With(t.Context()).Trail() {
			actions = append(actions, fmt.Sprintf("%s %s %s %s", e.Actor, e.Action, e.Object, e.Outcome))
			assert.NotContains(t, string(e.After), ownerPassword)
			if !yield(e, err) {
				return
			}
		}
	})
	require.NoError(t, err)
	assert.EqualValues(t, len(actions), last)
	for _, want := range []string{"asta policy.published base done", "asta assignment.made base done",
		"bjorn group.made /api/v1/groups refused", "service keys.listed keys done"} {
		assert.Contains(t, actions, want)
	}
	assert.ErrorContains(t, change(t, s.config.Database, "update audit_entries set actor = 'nobody'"), "append-only")
}

// The published description is that of the service as it is.
func TestDescriptionIsCurrent(t *testing.T) {
	committed, err := os.ReadFile("../docs/reference/openapi.json")
	require.NoError(t, err)
	current, err := httpapi.Description()
	require.NoError(t, err)
	assert.Equal(
		t,
		string(bytes.TrimSpace(committed)),
		string(current),
		"run: bin/rankwardend openapi > docs/reference/openapi.json",
	)
	s := start(t)
	resp, err := http.Get(s.URL + "/api/v1/openapi.json")
	require.NoError(t, err)
	defer resp.Body.Close()
	var served struct{ OpenAPI string }
	require.NoError(t, json.NewDecoder(resp.Body).Decode(&served))
	assert.True(t, strings.HasPrefix(served.OpenAPI, "3.1"))
}

func TestOperatorsInTheConsole(t *testing.T) {
	s := start(t)
	_, err := s.owner.CreateGroup(t.Context(), client.GroupSpec{Name: "desks", Devices: []string{"SKL-TKT-001"}})
	require.NoError(t, err)
	b := openTab(t, 1280, 800)
	b.do("create",
		browser.SignIn(s.URL, "asta", ownerPassword),
		chromedp.Navigate(s.URL+"/organisation/operators"),
		browser.Reads("New operator"),
		browser.Type(`input[autocomplete="off"]`, "dagny"),
		browser.Type(`input[type="password"]`, ownerPassword),
		browser.Click(`//label[normalize-space(.)="support"]/input`),
		browser.Type(`input[aria-label="Groups of support"]`, "desks"),
		click("Create"),
		browser.Reads("view passwords, with a reason, on desks"),
		browser.Reads("see devices, policies and drift, on every device"),
	)
	b.axeInBoth("an operator")
	b.do("disable", click("Disable…"), click("Disable"), browser.Reads("may not sign in"))
	b.noErrors()
	problem(t, s.enters("dagny", ownerPassword, ""), http.StatusUnauthorized, "wrong")
	o, err := s.owner.Operators(t.Context(), client.Page{})
	require.NoError(t, err)
	assert.Equal(t, []api.Role{{Role: "support", Groups: []string{"desks"}}, {Role: "viewer", Groups: []string{}}},
		slices.SortedFunc(slices.Values(o.Items[1].Roles),
			func(a, b api.Role) int { return strings.Compare(a.Role, b.Role) }))
}
