package main

import (
	"encoding/csv"
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const changed = "../../demo/scenarios/head-office-opens.yaml"

func TestPreviewSaysWhoLosesAccessFirst(t *testing.T) {
	out, code := run(t, "preview", changed)
	assert.Equal(t, 1, code, "somebody loses access")
	at := -1
	for _, line := range []string{
		"4 edits, 3 of 3 devices affected",
		"Loses access",
		"  ▲ 2  the device refuses to remove its last break-glass account from administrators: managed mooring",
		"  ▲ 2  ingrid.vae@skerryline.example leaves administrators",
		"  ▲ 2  managed mooring is disabled",
		"Gains access",
		"    2  head office support@skerryline.example joins administrators",
		"Stricter rules",
		"    3  minimum length gets stricter: various → 20 characters",
		"       SKL-HQ-001, SKL-HQ-002, SKL-TKT-001",
		"Accounts",
		"    2  managed mooring is renamed from mooring-#### to steward-####",
	} {
		next := strings.Index(out, line+"\n")
		assert.Greater(t, next, at, line)
		at = next
	}
	out, _ = run(t, "preview", changed, "--device", "SKL-TKT-001")
	assert.Contains(t, out, "  minimum length                           14 characters → 20 characters\n")
	assert.NotContains(t, out, "SKL-HQ-001")
	_, code = run(t, "preview", changed, "--device", "SKL-XXX-001")
	assert.Equal(t, 2, code)

	out, code = run(t, "preview", changed, "-o", "csv")
	assert.Equal(t, 1, code)
	lines, err := csv.NewReader(strings.NewReader(strings.TrimSuffix(out, errNo.Error()))).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, []string{"device", "effect", "unit", "subject", "text"}, lines[0])
	assert.Contains(t, lines, []string{
		"SKL-HQ-001", "member_leaves", "membership.administrators", "local:mechanic", "mechanic leaves administrators",
	})

	out, code = run(t, "preview", "../../core/preview/testdata/cases/04.json", "-o", "json")
	assert.Equal(t, 1, code)
	var document struct {
		Format   string
		Devices  int
		Affected []any
	}
	require.NoError(
		t,
		json.NewDecoder(strings.NewReader(out[strings.Index(out, "{"):])).Decode(&document),
	) // after the warnings
	assert.Equal(t, "rankwarden.preview/1", document.Format)
	assert.Len(t, document.Affected, document.Devices)
}

func TestPreviewSaysWhatIsWrongWithAnEdit(t *testing.T) {
	organisation := scenarioHead + "groups: [{name: desks, devices: []}]\n" +
		"policies: [{format: rankwarden.policy/1, name: base, lockout: {threshold: 5}}]\n" +
		"assignments: [{name: all, policy: base, include: [desks], rank: 1}]\ndevices: [{name: SKL-TKT-001}]\n"
	for says, change := range map[string]string{
		`the file has no "change:"`: "",
		"exactly one of publish":    "change: [{withdraw: all, drop_group: desks}]",
		"and this one has 0":        "change: [{}]",
		"field wihdraw not found":   "change: [{wihdraw: all}]",
		`edit 1 (withdraw al): it does not exist: there is no assignment "al"; did you mean "all"?`: "change: [{withdraw: al}]",
		`edit 2 (withdraw all): it does not exist`:                                                  "change: [{withdraw: all}, {withdraw: all}]",
		"edit 1 (drop_group desks): an assignment names it: assignment " +
			"all": "change: [{drop_group: desks}]",
		`"everything" is the built-in group`: "change: [{drop_group: everything}]",
		`edit 1 (assign a): it does not exist: there is no policy "bsae"; did you mean "base"?`: "change: [{assign: " +
			"{name: a, policy: bsae, include: [desks], rank: 1}}]",
		`there is no group "desk"; did you mean "desks"?`: "change: [{assign: " +
			"{name: a, policy: base, include: [desk], rank: 1}}]",
		"change[0].group.rule: line 1, column 7": "change: [{group: " +
			"{name: a, rule: device.nmae == 'x'}}]",
		"change[0].publish: a policy cannot be " +
			"used": "change: [{publish: {format: rankwarden.policy/1, name: base, lockout: {threshold: many}}}]",
		"rank 0 is out of " +
			"bounds": "change: [{assign: {name: a, policy: base, include: [desks]}}]",
	} {
		out, code := run(t, "preview", write(t, "s.yaml", organisation+change))
		assert.Equal(t, 2, code, says)
		assert.Contains(t, out, says)
	}
	for _, nothing := range []string{
		"change: []", "change: [{group: {name: new, devices: [SKL-TKT-001]}}, {drop_group: new}]",
		"change: [{withdraw: all}, {drop_group: desks}]",
	} {
		out, code := run(t, "preview", write(t, "s.yaml", organisation+nothing))
		assert.Zero(t, code, out)
		assert.Contains(t, out, "0 of 1 device affected\n\nNo effects.")
	}
	out, _ := run(t, "preview", write(t, "s.yaml", organisation+
		"change: [{group: {name: desks, devices: [SKL-TKT-001]}}]"))
	assert.Contains(t, out, "1 device has never reported: settings change, and the effects are unknown.")
}
