package e2e

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Whoever stands at a workstation sees how it stands, with the service gone, too; the running agent exchanges when it
// is asked to.
func TestStatusAtTheWorkstation(t *testing.T) {
	s := start(t)
	s.config.HelpText = "Call the harbour office on extension 7."
	s.restart()
	s.publish("base", mooringOnly, 500, "everything")
	dir := t.TempDir()
	token, state := filepath.Join(dir, "token"), filepath.Join(dir, "state")
	require.NoError(t, os.WriteFile(token, []byte(s.enrolmentToken(1)+"\n"), 0o600))
	at := func(args ...string) *exec.Cmd {
		return exec.CommandContext(t.Context(), filepath.Join(binaries, "rankwarden-agent"),
			append(args, "--host", "simulated", "--state", state)...)
	}
	out, err := at("status").CombinedOutput()
	require.Error(t, err)
	assert.Contains(t, string(out), "is it running?")

	agent := at("--service", s.URL, "--token-file", token, "--name", "SKL-WKS-009")
	var log bytes.Buffer
	agent.Stderr = &log
	require.NoError(t, agent.Start())
	t.Cleanup(func() { _ = agent.Process.Kill(); _ = agent.Wait() })
	s.settled()
	s.until(func() bool {
		out, err := at("check-in").CombinedOutput()
		s.settled()
		return err == nil && bytes.Contains(out, []byte("reported back")) && bytes.Contains(out, []byte("mooring"))
	})
	s.stop()
	out, err = at("check-in").CombinedOutput()
	require.Error(t, err)
	assert.Contains(t, string(out), "the exchange failed")
	out, err = at("status").CombinedOutput()
	require.NoError(t, err, string(out))
	for _, part := range []string{"SKL-WKS-009", s.URL, "Trouble", "reported back", "Call the harbour office",
		"settings, 0 with findings", "= managed account mooring: mooring, enabled"} {
		assert.Contains(t, string(out), part)
	}
	out, err = at("status", "--json").CombinedOutput()
	require.NoError(t, err)
	assert.NotContains(t, string(out), "private")
	assert.NotContains(t, string(out), `"key"`)

	// Who may not read the agent's state sees the short form.
	require.NoError(t, os.Rename(filepath.Join(state, "agent.json"), filepath.Join(dir, "hidden.json")))
	out, err = at("status").CombinedOutput()
	require.NoError(t, err)
	assert.Contains(t, string(out), "An administrator of this device sees more")
	assert.NotContains(t, string(out), "mooring")
}

// One machine without a service: a policy file is compared, carried out once with the guard, and read back.
func TestOneMachineWithoutAService(t *testing.T) {
	dir := t.TempDir()
	file := filepath.Join(dir, "crew.yaml")
	require.NoError(t, os.WriteFile(file, []byte(document("crew", `
accounts: [{key: mooring, name: mooring-####, local_groups: [administrators]}]
rotation: [{target: account:mooring}]
passwords: {min_length: 12}`)), 0o600))
	run := func(args ...string) (string, error) {
		out, err := exec.CommandContext(t.Context(), filepath.Join(binaries, "rankwarden-agent"),
			append(args, "--host", "simulated", "--state", filepath.Join(dir, "state"))...).CombinedOutput()
		return string(out), err
	}
	out, err := run("check", file)
	var exit *exec.ExitError
	require.ErrorAs(t, err, &exit)
	assert.Equal(t, 1, exit.ExitCode())
	assert.Contains(t, out, "the account mooring-#### does not exist")
	assert.Contains(t, out, "Rotation of passwords is left out")
	again, err := run("check", file)
	require.Error(t, err)
	assert.Equal(t, out, again, "it changes nothing")

	out, err = run("apply", file)
	require.NoError(t, err, out)
	assert.Regexp(t, `done  the account mooring-\d{4} was created`, out)
	assert.Contains(t, out, "Nothing differs in 3 settings.")
	out, err = run("apply", file)
	require.NoError(t, err, out)
	assert.NotContains(t, out, "done", "what it made is found again")

	require.NoError(t, os.WriteFile(file, []byte(document("crew", "passwords: {min_length: many}")), 0o600))
	out, err = run("apply", file)
	require.Error(t, err)
	assert.Contains(t, out, "cannot be used")
}

// A scenario with one device stands for the machine: its groups by rule and its ranks count, and the operators' command
// settles it.
func TestOneMachineAsTheDeviceOfAScenario(t *testing.T) {
	dir := t.TempDir()
	file := filepath.Join(dir, "desk.yaml")
	const scenario = `
format: rankwarden.scenario/1
groups: [{name: kiosks, rule: '"kiosk" in device.tags'}]
directory: [{ref: "group:Desk Support@skerryline.example", sid: S-1-5-21-70-80-90-1202}]
policies:
  - {format: rankwarden.policy/1, name: base, passwords: {min_length: 12}, rotation: [{target: account:mooring}],
     accounts: [{key: mooring, name: mooring-1}]}
  - {format: rankwarden.policy/1, name: kiosk, passwords: {min_length: 15},
     lockout: {threshold: 5, duration: 15m, window: 15m}}
  - {format: rankwarden.policy/1, name: desks,
     membership: [{local_group: users, mode: adjust, members: ["group:Desk Support@skerryline.example"]}],
     builtins: {guest: {name: visitor}}}
  - {format: rankwarden.policy/1, name: offices, builtins: {guest: {name: caller}}}
assignments:
  - {name: base, policy: base, include: [everything], rank: 500}
  - {name: kiosks, policy: kiosk, include: [kiosks], rank: 100}
  - {name: desks, policy: desks, include: [everything], rank: 300}
  - {name: offices, policy: offices, include: [everything], rank: 300}
devices: [{name: THIS-ONE, platform: windows, tags: [kiosk]}]
`
	require.NoError(t, os.WriteFile(file, []byte(scenario), 0o600))
	program := filepath.Join(binaries, "rankwarden-agent")
	run := func(program string, args ...string) (string, error) {
		cmd := exec.CommandContext(t.Context(), program,
			append(args, "--host", "simulated", "--state", filepath.Join(dir, "state"))...)
		cmd.Env = []string{"HOME=" + dir, "PATH=" + dir}
		out, err := cmd.CombinedOutput()
		return string(out), err
	}
	out, err := run(program, "check", file)
	var exit *exec.ExitError
	require.ErrorAs(t, err, &exit)
	assert.Equal(t, 1, exit.ExitCode())
	for _, says := range []string{"15 characters", "desk support@skerryline.example", "mooring-1",
		"is left out: contested", "Rotation of passwords is left out"} {
		assert.Contains(t, out, says)
	}
	assert.NotContains(t, out, "12 characters", "it is outranked")
	out, err = run(program, "apply", file)
	require.Error(t, err, "the machine is in no domain")
	assert.Contains(t, out, "done  minimum length: 15 characters")
	assert.Contains(t, out, "the device could not change desk support@skerryline.example")

	_, err = run(program, "check", file, file)
	require.Error(t, err)
	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(scenario, "devices: [",
		"devices: [{name: OTHER, platform: linux}, ", 1)), 0o600))
	out, err = run(program, "check", file)
	require.Error(t, err)
	assert.Contains(t, out, "has 2 devices")
	alone := filepath.Join(dir, "alone")
	data, err := os.ReadFile(program)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(alone, data, 0o700))
	require.NoError(t, os.WriteFile(file, []byte(scenario), 0o600))
	out, err = run(alone, "check", file)
	require.Error(t, err)
	assert.Contains(t, out, "it is not installed here")
}
