package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/face/httpapi"
)

// described is one operation of the API description.
type described struct{ id, method, path string }

func operations(t *testing.T) []described {
	document, err := httpapi.Description()
	require.NoError(t, err)
	var api struct {
		Paths map[string]map[string]struct{ OperationID string }
	}
	require.NoError(t, json.Unmarshal(document, &api))
	var list []described
	for path, methods := range api.Paths {
		for method, o := range methods {
			list = append(list, described{o.OperationID, strings.ToUpper(method), path})
		}
	}
	return list
}

// rightsTable is the table of docs/reference/rights.md: for each operation what each column says.
func rightsTable(t *testing.T) map[string]map[string]string {
	document, err := os.ReadFile("../docs/reference/rights.md")
	require.NoError(t, err)
	cells := func(line string) []string {
		parts := strings.Split(strings.Trim(line, "|"), "|")
		for i := range parts {
			parts[i] = strings.ToLower(strings.TrimSpace(parts[i]))
		}
		return parts
	}
	table, columns := map[string]map[string]string{}, []string(nil)
	for line := range strings.Lines(string(document)) {
		switch row := cells(strings.TrimSpace(line)); {
		case !strings.HasPrefix(line, "|"), strings.HasPrefix(line, "|---"):
		case columns == nil:
			columns = row
		default:
			table[row[0]] = map[string]string{}
			for i, cell := range row[1:] {
				table[row[0]][columns[i+1]] = cell
			}
		}
	}
	return table
}

// body is something that each operation reads as a request of its shape. What it names does not exist, so
// that whoever may do it is refused for that.
var bodies = map[string]string{
	"sign-in": `{"name": "nobody", "password": "not this one"}`, "sign-in-again": `{"password": "not this one"}`,
	"create-operator": `{"name": "dagny", "password": "short", "roles": [{"role": "viewer", "groups": []}]}`,
	"edit-operator":   `{"disabled": false}`,
	"create-token":    `{"name": "t", "expires_in_hours": 1}`, "create-policy": `{"source": "nonsense"}`,
	"save-policy": `{"source": "nonsense"}`, "check-policy": `{"source": "nonsense"}`,
	"draft-policy": `{"group": "everything", "name": "first"}`,
	"create-group": `{"name": "everything"}`, "edit-group": `{}`, "test-rule": `{"rule": "true"}`,
	"try-device-facts":       `{"devices": [{"device": "SKL-WKS-001"}]}`,
	"create-assignment":      `{"name": "none", "policy": "none", "include": ["everything"], "rank": 1}`,
	"edit-assignment":        `{"policy": "none", "include": ["everything"], "rank": 1}`,
	"create-enrolment-token": `{"uses": 1, "expires_in_hours": 1, "groups": ["none"]}`,
	"set-device-facts":       `{"devices": [{"device": "none", "path": "a"}]}`,
	"send-order":             `{"kind": "check-in", "devices": ["none"]}`,
	"preview-account-order":  `{"do": "disable", "account": "local:nobody", "devices": ["none"]}`,
	"order-account":          `{"do": "disable", "account": "local:nobody", "devices": ["none"], "digest": "x"}`,
	"retire-device":          `{"because": "lost"}`,
	"what-if":                `{"leaving": "user:nobody@skerryline.example"}`,
	"reveal-password":        `{"reason": "ticket 4711"}`,
	"decide-approval":        `{"approve": true}`,
	"make-sheet":             `{"devices": ["SKL-TKT-001"], "reason": "ticket 4711"}`,
	"decide-sheet":           `{"approve": true}`,
	"delete-directory-entry": `{"ref": "user:nobody@skerryline.example"}`,
	"import-directory":       "nonsense",
	"create-change":          `{"name": "No name"}`, "edit-change": `{"title": "t"}`,
	"add-edit":    `{"kind": "withdraw", "name": "none", "based_on": 1}`,
	"drop-change": `{}`, "apply-change": `{"digest": ""}`,
	"revert-change":       `{"reason": ""}`,
	"decide-change":       `{"approve": false, "reason": "no", "digest": ""}`,
	"decide-device-grant": `{"approve": false}`, "confirm-second-factor": `{"code": "000000"}`,
	"make-recovery-codes": `{"password": "not this one"}`, "remove-second-factor": `{"password": "not this one"}`,
	"start-rollout": `{"change": "none", "digest": ""}`, "pause-rollout": `{}`, "resume-rollout": `{}`,
	"open-wave":      `{"reason": "r"}`,
	"waive-findings": `{"findings": [1], "until": "2031-01-01T00:00:00Z", "reason": "r"}`,
	"decide-waiver":  `{"agree": true}`,
	"decide-warrant": `{"agree": true}`, "take-back-warrant": `{}`,
	"ask-warrant": `{"principal": "local:clerk", "devices": ["SKL-TKT-001"], "minutes": 60, "reason": "r"}`,
	"freeze":      `{"what": "rollouts", "reason": "r"}`, "thaw": `{}`,
	"revert-rollout": `{"reason": "r"}`, "decide-brake": `{"release": false, "reason": "r"}`,
	"create-notification-target": `{"name": "t", "kind": "webhook", "address": "ftp://skerryline.example", "events": ["trail_entry"], "enabled": true}`,
	"edit-notification-target":   `{"kind": "webhook", "address": "https://skerryline.example", "events": ["trail_entry"], "enabled": true}`,
	"create-escrow-key":          `{"number": 1, "use": "recovery", "public": "AAAA"}`,
	"prove-escrow-key":           `{"answer": "none"}`, "decide-escrow-key": `{"approve": true}`,
	"add-passkey":                `{"ceremony": "none", "response": {}, "name": "n"}`,
	"sign-in-with-passkey":       `{"ceremony": "none", "response": {}}`,
	"sign-in-again-with-passkey": `{"ceremony": "none", "response": {}}`,
	"preview-edits":              `{"edits": []}`, "show-ladder": `{}`, "match-device-names": `{"names": []}`,
}

// givesPassword are the operations that ask for one's own password.
var givesPassword = map[string]bool{"sign-in": true, "sign-in-again": true, "make-recovery-codes": true,
	"remove-second-factor": true,
	"sign-in-with-passkey": true, "sign-in-again-with-passkey": true, "add-passkey": true}

// try calls an operation, and gives the status.
func try(t *testing.T, base string, o described, header http.Header) int {
	path := strings.NewReplacer("{name}", "none", "{number}", "1", "{type}", "group", "{thing}", "none", "{seq}", "1",
		"{code}", "BCDF-GHJK").Replace(o.path)
	ctx := t.Context()
	req, err := http.NewRequestWithContext(ctx, o.method, base+path, bytes.NewReader([]byte(bodies[o.id])))
	require.NoError(t, err)
	req.Header = header.Clone()
	req.Header.Set("If-Match", `"1"`)
	if bodies[o.id] != "" {
		req.Header.Set(
			"Content-Type",
			map[bool]string{true: "text/plain", false: "application/json"}[o.id == "import-directory"],
		)
	}
	resp, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer resp.Body.Close()
	if o.id != "events" { // it never ends
		_, _ = io.Copy(io.Discard, resp.Body)
	}
	return resp.StatusCode
}

// session signs in, and gives the header with the session's cookie.
func (s *service) session(name string) http.Header {
	resp, err := http.Post(
		s.URL+"/api/v1/session",
		"application/json",
		strings.NewReader(fmt.Sprintf(`{"name": %q, "password": %q}`, name, ownerPassword)),
	)
	require.NoError(s.t, err)
	resp.Body.Close()
	require.Equal(s.t, 200, resp.StatusCode)
	return http.Header{"Cookie": {strings.Split(resp.Header.Get("Set-Cookie"), ";")[0]}}
}

// Every operation, as nobody, as every role, and as every role with reach elsewhere, answers as the table says.
func TestRightsAreThoseOfTheTable(t *testing.T) {
	s := start(t)
	_, err := s.owner.CreateGroup(t.Context(), client.GroupSpec{Name: "elsewhere", Devices: []string{"SKL-XXX-001"}})
	require.NoError(t, err)
	table, seen := rightsTable(t), map[string]bool{}
	callers := map[string][]http.Header{
		"anybody": {
			{},
			{"Authorization": {"Bearer rwt_nonsense"}},
			{"Authorization": {"x"}},
			{"Cookie": {"rankwarden_session=nonsense"}},
		},
	}
	for _, role := range rights.Roles {
		name := "all-" + string(role)
		s.as(name, string(role))
		callers[string(role)] = append(callers[string(role)], s.session(name))
		if role != rights.Owner && role != rights.Auditor {
			s.as("some-"+string(role), string(role), "elsewhere")
			callers[string(role)] = append(callers[string(role)], s.session("some-"+string(role)))
		}
	}
	for _, o := range operations(t) {
		seen[o.id] = true
		row, known := table[o.id]
		if !assert.True(t, known, "%s is not in docs/reference/rights.md", o.id) {
			continue
		}
		for column, headers := range callers {
			for _, header := range headers {
				if o.id == "sign-out" && column != "anybody" {
					continue // it would end the session of the rest
				}
				status := try(t, s.URL, o, header)
				switch {
				case row[column] == "no" && column == "anybody":
					assert.Equal(t, 401, status, "%s as nobody", o.id)
				case row[column] == "no", row[column] == "themselves": // what is asked here is for somebody else
					assert.Equal(t, 403, status, "%s as %s", o.id, column)
				default:
					assert.NotEqual(t, 403, status, "%s as %s", o.id, column)
					if !givesPassword[o.id] { // which is wrong here
						assert.NotEqual(t, 401, status, "%s as %s", o.id, column)
					}
					assert.Less(t, status, 500, "%s as %s", o.id, column)
				}
			}
		}
	}
	for id := range table {
		assert.True(t, seen[id], "there is no operation %s any more", id)
	}
}

// Reach holds for reading: every list, count, search and page shows only what is in reach.
func TestReachHoldsForReading(t *testing.T) {
	s := startTogether(t)
	ctx := t.Context()
	s.publish("base", strings.Replace(desk, "%THEN%", "nothing", 1), 500, "everything")
	_, err := s.owner.CreateGroup(ctx, client.GroupSpec{Name: "desks", Devices: []string{"SKL-TKT-001"}})
	require.NoError(t, err)
	_, err = s.owner.CreateGroup(ctx, client.GroupSpec{Name: "offices", Devices: []string{"SKL-HQ-001", "SKL-HQ-900"}})
	require.NoError(t, err)
	mine, other := s.enrolled("SKL-TKT-001"), s.enrolled("SKL-HQ-001")
	for _, d := range []*device{mine, other} {
		d.AddAccount("mechanic")
		require.NoError(t, d.Join("administrators", "mechanic"))
		require.NoError(t, d.Cycle(ctx))
	}
	_, err = s.owner.SendOrder(ctx, api.NewOrder{Kind: "check-in", Group: "everything"})
	require.NoError(t, err)
	everybody, nobody := s.as("nightwatch", "support"), s.as("daywatch", "viewer", "desks")
	for _, name := range []string{"SKL-TKT-001", "SKL-HQ-001"} {
		_, err = everybody.Reveal(ctx, name, api.RevealSpec{Reason: "ticket 4711"})
		require.NoError(t, err)
	}
	header := s.session("daywatch")
	read := func(path string) (int, string) {
		req, err := http.NewRequestWithContext(ctx, http.MethodGet, s.URL+"/api/v1"+path, nil)
		require.NoError(t, err)
		req.Header = header.Clone()
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer resp.Body.Close()
		body, err := io.ReadAll(resp.Body)
		require.NoError(t, err)
		return resp.StatusCode, string(body)
	}
	id := s.why("SKL-HQ-001").Device.ID
	for _, path := range []string{"/devices", "/devices?search=skl", "/devices?group=offices", "/findings",
		"/findings?state=corrected", "/device-events", "/orders", "/passwords", "/passwords?search=hq",
		"/reveals", "/approvals", "/groups", "/groups/offices/devices", "/watch", "/held-settings", "/locked-accounts",
		"/assignments", "/policies"} {
		status, body := read(path)
		assert.Equal(t, 200, status, path)
		assert.NotContains(t, body, "SKL-HQ", path)
		assert.NotContains(t, body, id, path)
		assert.NotContains(t, strings.ToLower(body), "skl-hq", path)
	}
	for _, path := range []string{"/devices/SKL-HQ-001", "/devices/" + id, "/devices/SKL-HQ-001/why",
		"/devices/SKL-HQ-001/setting-history?setting=lockout", "/devices/SKL-HQ-001/passwords",
		"/findings?device=SKL-HQ-001", "/device-events?device=" + id, "/orders?device=" + id, "/reveals?device=" + id} {
		status, body := read(path)
		assert.Equal(t, 404, status, path)
		unknown, none := read(strings.NewReplacer("SKL-HQ-001", "SKL-NONE", id, "SKL-NONE").Replace(path))
		assert.Equal(t, unknown, status)
		assert.Equal(
			t,
			strings.ReplaceAll(none, "SKL-NONE", ""),
			strings.NewReplacer("SKL-HQ-001", "", id, "").Replace(body),
			"as if there were no such device",
		)
	}
	list, err := nobody.Devices(ctx, client.DeviceQuery{}, client.Page{})
	require.NoError(t, err)
	require.Len(t, list.Items, 1)
	counts, err := nobody.Standings(ctx, client.DeviceQuery{})
	require.NoError(t, err)
	assert.Equal(t, 1, counts.InStep+counts.Drifted+counts.Waiting+counts.Held+counts.Silent)
	trial, err := nobody.TestRule(ctx, "true")
	require.NoError(t, err)
	assert.Equal(t, []string{"SKL-TKT-001"}, trial.Examples)
	assert.Equal(t, 1, trial.Holds)
}
