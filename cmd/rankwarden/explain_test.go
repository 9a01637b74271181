package main

import (
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/api"
)

// answering is a service that gives one answer to everything.
func answering(t *testing.T, status int, body any) string {
	t.Helper()
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		w.WriteHeader(status)
		_ = json.NewEncoder(w).Encode(body)
	}))
	t.Cleanup(s.Close)
	t.Setenv("RANKWARDEN_TOKEN", "a token")
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	return s.URL
}

func explained() api.DeviceWhy {
	now := time.Now()
	return api.DeviceWhy{
		Device: api.Device{
			Name:        "SKL-TKT-001",
			Standing:    "held",
			Platform:    "windows",
			OSBuild:     22631,
			Model:       "Counter Compact 3",
			LastContact: &now,
			Desired:     3,
		},
		Assignments: []api.DeviceAim{
			{Assignment: "strict", Policy: "strict", Revision: 1, Rank: 100, Stance: "trial", Reason: "included"},
			{Assignment: "old-builds", Policy: "old", Revision: 2, Rank: 200, Stance: "enforce", Reason: "undecided"},
		},
		Units: []api.UnitWhy{
			{
				Unit:      "lockout",
				Section:   "Lockout",
				Title:     "lockout",
				Desired:   "never locks",
				Reported:  "never locks",
				DecidedBy: "base (only assignment)",
				Rank:      500,
				InStep:    true,
				Trial: &api.UnitTrial{
					Desired:   "after 3 wrong attempts",
					DecidedBy: "strict outranks base",
					Effects:   []api.Effect{{Words: "lockout gets stricter: never locks → after 3 wrong attempts"}},
				},
			},
			{
				Unit:               "membership.administrators",
				Section:            "Local groups",
				Title:              "administrators",
				Desired:            "exactly: mooring",
				Reported:           "2: mooring, mechanic",
				DecidedBy:          "a and b differ at equal rank",
				Held:               "change the rank of one",
				RepeatedlyReverted: true,
				Findings:           []api.UnitFinding{{Words: "mechanic is a member, but not in the exact list"}},
				Over:               []api.Loser{{Assignment: "a", Rank: 9, Claim: "nobody", Why: "contested"}},
			},
		},
		Problems: []api.DeviceProblem{
			{Code: "undecided_scope", Severity: "error", Unit: "old-builds", Words: "a fact is not known; wait"},
			{
				Code:     "no_break_glass",
				Severity: "warning",
				Unit:     "membership.administrators",
				Words:    "nobody works without a network; add one",
			},
		},
	}
}

func TestExplain(t *testing.T) {
	url := answering(t, 200, explained())
	out, code := run(t, "explain", "SKL-TKT-001", "--server", url)
	assert.Zero(t, code, out)
	for _, line := range []string{
		"SKL-TKT-001  ▮▮ held", "    100  strict                   policy strict, revision 1, on trial",
		"    200  old-builds               policy old, revision 2, undecided",
		"✓ Lockout  lockout", "  decided   base (only assignment) (rank 500)",
		"  trial     after 3 wrong attempts; strict outranks base",
		"  forecast  lockout gets stricter: never locks → after 3 wrong attempts",
		"▮▮ Local groups: administrators  membership.administrators",
		"  differs   mechanic is a member, but not in the exact list", "  lost      a (rank 9): nobody; contested",
		"  held      change the rank of one",
		"▮▮ a fact is not known; wait", "! membership.administrators: nobody works without a network; add one",
	} {
		assert.Contains(t, out, line+"\n")
	}
	assert.Contains(t, out, "  reverted  repeatedly reverted")

	out, code = run(t, "explain", "SKL-TKT-001", "Administrators", "--server", url)
	assert.Zero(t, code)
	assert.NotContains(t, out, "Lockout", "only the unit that was named")
	out, code = run(t, "explain", "SKL-TKT-001", "nonsense", "--server", url)
	assert.Equal(t, 2, code)
	assert.Contains(t, out, "its settings are lockout, membership.administrators")
	out, code = run(t, "explain", "SKL-TKT-001", "--server", url, "-o", "json")
	assert.Zero(t, code)
	assert.Contains(t, out, `"repeatedly_reverted": true`)
	_, code = run(t, "explain", "SKL-TKT-001", "--server", url, "-o", "csv")
	assert.Equal(t, 2, code)
}

func TestRefusalsOfTheServiceAreTold(t *testing.T) {
	url := answering(t, 404, map[string]any{"status": 404, "detail": "there is no device \"SKL-XXX-001\""})
	out, code := run(t, "explain", "SKL-XXX-001", "--server", url)
	assert.Equal(t, 3, code)
	assert.Contains(t, out, "there is no device")
	out, code = run(t, "explain", "SKL-XXX-001", "--server", "http://127.0.0.1:1")
	assert.Equal(t, 4, code)
	assert.Contains(t, out, "Start the service")
}
