package main

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const inWaves = "../../demo/scenarios/in-waves.yaml"

func TestRehearsePrintsWhatHappens(t *testing.T) {
	out, status := run(t, "rehearse", inWaves)
	assert.Equal(t, 0, status)
	at := 0
	for _, line := range []string{
		"12 of 12 devices affected",
		"wave 1, first-wave: 2 devices",
		"dagny starts it",
		"▸ started, in waves: first-wave (2), to 50 % (4), the rest (6)",
		"30 min  time passes",
		"✓ wave 1, first-wave, passed its gate",
		"■ stopped in wave 2, to 50 %: 2 of 3 failed or lost (67 %), at most 10 %; minimum length on SKL-TKT-006, " +
			"SKL-TKT-007",
		"✗ refused: it is stopped, so one cannot open the next wave; resume it first",
		"dagny resumes it: the desks were on an old build and have been updated",
		"SKL-TKT-011 joins",
		"everyone reported verified",
		"✓ done: the last wave passed its gate",
		"It ends done.",
	} {
		found := strings.Index(out[at:], line)
		require.GreaterOrEqual(t, found, 0, "%s\n\nin order in\n%s", line, out)
		at += found
	}

	out, status = run(t, "rehearse", inWaves, "--output", "json")
	assert.Equal(t, 0, status)
	var r rehearsedRollout
	require.NoError(t, json.Unmarshal([]byte(out), &r))
	assert.Len(t, r.Steps, 13)
	assert.Equal(t, 33*60, r.Steps[4].At)
	assert.EqualValues(t, "gate_stopped", r.Steps[4].Decisions[0].What)
	assert.Contains(t, r.Steps[5].Refused[0], "resume it first")
	assert.Len(t, r.Having, 13, "with the one that joined")
}

func TestRehearseSaysWhatIsWrongWithAFile(t *testing.T) {
	source := func(rollout string) string {
		return `format: rankwarden.scenario/1
policies: [{format: rankwarden.policy/1, name: p, passwords: {min_length: 12}}]
assignments: [{name: a, policy: p, include: [everything], rank: 1}]
devices: [{name: SKL-HQ-001}]
change: [{withdraw: a}]
` + rollout
	}
	for rollout, want := range map[string]string{
		"":                                         `the file has no "rollout:"`,
		"rollout: {shares: [50, 10]}":              "10 does not come after 50",
		"rollout: {gate: {soak: soon}}":            `rollout.gate.soak: "soon" is not a time`,
		"rollout: {gate: {verified: 0}}":           "1 to 100 percent verified, not 0",
		"rollout: {first: [nobody]}":               `rollout.first[0]: there is no group "nobody"`,
		"rollout: {events: [{do: start}]}":         "rollout.events[0].at:",
		"rollout: {events: [{at: 1m, do: begin}]}": `rollout.events[0].do: "begin" is not done with a rollout`,
		"rollout: {events: [{at: 1m, verified: [SKL-HQ-002]}]}":            `there is no device "SKL-HQ-002"`,
		"rollout: {events: [{at: 2m}, {at: 1m}]}":                          "1m0s is before 2m0s",
		"rollout: {events: [{at: 2m, do: start, verified: [everyone]}]}":   "write two",
		"rollout: {events: [{at: 2m, failed: [everyone], settings: [x]}]}": "rollout.events[0].settings[0]",
		"rollout: {wave: 3}": "wave",
	} {
		out, status := run(t, "rehearse", write(t, "s.yaml", source(rollout)))
		assert.Equal(t, 2, status, rollout)
		assert.Contains(t, out, want)
	}

	out, status := run(t, "rehearse", write(t, "s.yaml", source(
		"rollout: {events: [{at: 0s, do: start}, {at: 1m, guard_refused: [everyone]}, {at: 2m, do: revert, by: asta, "+
			"give_back: true}]}",
	)))
	assert.Equal(t, 1, status, out)
	assert.Contains(t, out, "■ stopped in wave 1, first 1: 1 refused by the guard, none allowed")
	assert.Contains(t, out, "asta reverts it, giving back what it took away")
	assert.Contains(t, out, "It ends reverted.")
}
