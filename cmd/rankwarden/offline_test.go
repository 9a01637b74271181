package main

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// run runs a command as a shell would, and gives what it prints and its exit status.
func run(t *testing.T, args ...string) (string, int) {
	t.Helper()
	cmd := root()
	var out bytes.Buffer
	cmd.SetOut(&out)
	cmd.SetErr(&out)
	cmd.SetArgs(args)
	err := cmd.ExecuteContext(t.Context())
	if err == nil {
		return out.String(), 0
	}
	return out.String() + explain(err), status(err)
}

func write(t *testing.T, name, content string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	require.NoError(t, os.WriteFile(path, []byte(content), 0o600))
	return path
}

const scenarioHead = "format: rankwarden.scenario/1\n"

func TestResolvePrintsWhoWonAndWhoLost(t *testing.T) {
	out, code := run(t, "resolve", "../../demo/scenarios/ticket-desks.yaml")
	assert.Equal(t, 1, code, "one device has a contested unit")
	for _, line := range []string{
		"    110  stricter-lockout         policy stricter-lockout  (outside, on trial)",
		"  ●   minimum length          14 characters                                        ticket-desks outranks " +
			"base-everywhere",
		"                              ✗ base-everywhere (500): 12 characters; outranked",
		"                              ✗ northwick (500): exactly: built-in administrator, northwick " +
			"support@skerryline.example;",
		"  ◆ administrators: mechanic is a member, but not in the exact list",
		"  ◆ mooring: last rotated 2031-01-20T02:00:00Z, overdue",
		"  Trial: changes",
		"4 devices, 4 distinct sets of assignments, 36 settings, 1 contested.",
	} {
		assert.Contains(t, out, line+"\n")
	}
	out, _ = run(t, "resolve", "../../demo/scenarios/ticket-desks.yaml", "--device", "SKL-TKT-002")
	assert.NotContains(t, out, "SKL-HQ-001")
	out, code = run(t, "resolve", "../../demo/scenarios/ticket-desks.yaml", "--device", "SKL-XXX-001")
	assert.Equal(t, 2, code, out)
	out, code = run(t, "resolve", "../../demo/scenarios/ticket-desks.yaml", "--output", "counts")
	assert.Equal(t, 1, code)
	var counts map[string]any
	require.NoError(t, json.NewDecoder(strings.NewReader(out)).Decode(&counts))
	assert.Equal(t, 4.0, counts["devices"])
	assert.Equal(t, 1.0, counts["contested"])

	out, code = run(t, "resolve", "../../core/scenario/testdata/cases/01-one-policy.json", "-o", "json")
	assert.Zero(t, code)
	assert.True(
		t,
		strings.HasPrefix(
			out,
			"{\n  \"format\": \"rankwarden.resolution/1\",\n  \"devices\": [\n    {\n      \"device\": ",
		),
		out,
	)
	for name, want := range map[string]int{"02-rank-decides": 0, "04-equal-rank-contested": 1,
		"08-rotation-without-account": 1, "09-no-way-in": 1, "11-scope": 1, "06-adjust-adds-up": 0} {
		_, code := run(t, "resolve", "../../core/scenario/testdata/cases/"+name+".json", "-o", "json")
		assert.Equal(t, want, code, name)
	}
}

func TestResolveSaysWhatIsWrongWithAFile(t *testing.T) {
	group := "groups: [{name: desks, devices: []}]\n"
	policy := "policies: [{format: rankwarden.policy/1, name: base, lockout: {threshold: 5}}]\n"
	for says, content := range map[string]string{
		"begin with":                       "",
		"is not a format this version":     "format: other/1",
		"field grups not found":            scenarioHead + "grups: []",
		"built-in group":                   scenarioHead + "groups: [{name: everything, devices: []}]",
		"two groups are called":            scenarioHead + "groups: [{name: a, devices: []}, {name: a, rule: 'true'}]",
		`either "devices" or "rule"`:       scenarioHead + "groups: [{name: a}]",
		"groups[0].rule: line 1, column 7": scenarioHead + "groups: [{name: a, rule: device.nmae == 'x'}]",
		`did you mean "desks"?`: scenarioHead + group + policy +
			"assignments: [{name: a, policy: base, include: [dekss], rank: 1}]",
		`there is no policy "bas"`: scenarioHead + group + policy +
			"assignments: [{name: a, policy: bas, include: [desks], rank: 1}]",
		"rank 0 is out of bounds": scenarioHead + group + policy +
			"assignments: [{name: a, policy: base, include: [desks]}]",
		"stance": scenarioHead + group + policy +
			"assignments: [{name: a, policy: base, include: [desks], rank: 1, stance: maybe}]",
		"3:68: error: lockout.threshold": scenarioHead +
			"policies:\n  - {format: rankwarden.policy/1, name: base, lockout: {threshold: many}}",
		"two devices are called":      scenarioHead + "devices: [{name: SKL-1}, {name: SKL-1}]",
		"is not of the directory":     scenarioHead + "directory: [{ref: 'local:x', sid: S-1-5-32-1}]",
		"line 2: the key \"polices\"": "{\"format\": \"rankwarden.scenario/1\",\n\"polices\": []}",
		"line 2: devices.os_build": "{\"format\": \"rankwarden.scenario/1\",\n\"devices\": [{\"name\": " +
			"\"a\", \"os_build\": \"x\"}]}",
		"stand beside the scenario": scenarioHead + "policy_files: [../../etc/passwd]",
		"no such file":              scenarioHead + "policy_files: [missing.yaml]",
	} {
		out, code := run(t, "resolve", write(t, "s.yaml", content))
		assert.Equal(t, 2, code, says)
		assert.Contains(t, out, says)
	}
	_, code := run(t, "resolve", "missing.yaml")
	assert.Equal(t, 2, code)
	_, code = run(t, "resolve", "x", "-o", "yaml")
	assert.Equal(t, 2, code)
}

func TestPolicyFilesBesideTheScenario(t *testing.T) {
	path := write(
		t,
		"s.yaml",
		scenarioHead+"policy_files: [base.yaml]\nassignments: [{name: a, policy: base, include: [everything], rank: "+
			"1}]\ndevices: [{name: SKL-TKT-001}]",
	)
	require.NoError(t, os.WriteFile(
		filepath.Join(filepath.Dir(path), "base.yaml"),
		[]byte("format: rankwarden.policy/1\nname: base\nlockout: {threshold: 5}"),
		0o600,
	))
	out, code := run(t, "resolve", path)
	assert.Zero(t, code)
	assert.Contains(t, out, "after 5 wrong attempts within 15 min, locked for 15 min")
}

func TestPolicyCheckOffline(t *testing.T) {
	good := write(t, "good.yaml", "format: rankwarden.policy/1\nname: base\nlockout: {threshold: 5}")
	out, code := run(t, "policy", "check", good, "-o", "json")
	assert.Zero(t, code)
	assert.Equal(t, "[]\n", out)
	warned := write(t, "warned.yaml", "format: rankwarden.policy/1\nname: base\nrotation: [{target: account:mooring}]")
	out, code = run(t, "policy", "check", warned)
	assert.Zero(t, code, "a warning is no error")
	assert.Contains(t, out, "declares no account")

	bad := write(t, "bad.yaml", "format: rankwarden.policy/1\nname: base\nlockuot: {threshold: 5}")
	out, code = run(t, "policy", "check", good, bad, "-o", "json")
	assert.Equal(t, 1, code)
	var found []map[string]any
	require.NoError(t, json.NewDecoder(strings.NewReader(out)).Decode(&found))
	require.Len(t, found, 1)
	assert.Equal(
		t,
		map[string]any{
			"file":     bad,
			"path":     "lockuot",
			"line":     3.0,
			"column":   1.0,
			"severity": "error",
			"code":     "unknown_key",
			"message":  `the key "lockuot" is not known; did you mean "lockout"?`,
		},
		found[0],
	)
	_, code = run(t, "policy", "check", "missing.yaml")
	assert.Equal(t, 2, code)

	messy := write(t, "messy.yaml", "lockout: {threshold: 5} # agreed\nname: base\nformat: rankwarden.policy/1\n")
	out, code = run(t, "policy", "format", messy)
	assert.Zero(t, code)
	assert.Equal(t, "format: rankwarden.policy/1\nname: base\n# agreed\nlockout:\n  threshold: 5\n", out)
	_, code = run(t, "policy", "format", "--write", messy)
	assert.Zero(t, code)
	written, err := os.ReadFile(messy)
	require.NoError(t, err)
	assert.Equal(t, out, string(written))
	_, code = run(t, "policy", "format", bad)
	assert.Equal(t, 2, code)
	out, code = run(t, "policy", "schema")
	assert.Zero(t, code)
	assert.Contains(t, out, "https://json-schema.org/draft/2020-12/schema")
}

func TestFactsFromCSV(t *testing.T) {
	facts, err := readFacts(
		strings.NewReader("device,tags,path\nSKL-TKT-001,kiosk spare,north/kirkness\nSKL-TKT-002,,\n"),
	)
	require.NoError(t, err)
	require.Len(t, facts, 2)
	assert.Equal(t, []string{"kiosk", "spare"}, *facts[0].Tags)
	assert.Equal(t, "north/kirkness", *facts[0].Path)
	assert.Nil(t, facts[0].PrimaryUser, "no column, so it stays as it is")
	assert.Empty(t, *facts[1].Tags)
	for says, file := range map[string]string{"device is missing": "path\nx\n", "no column": "device,colour\n",
		"wrong number of fields": "device,path\nx\n"} {
		_, err := readFacts(strings.NewReader(file))
		assert.ErrorContains(t, err, says)
	}
}
