package e2e

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/client"
)

// The guide that takes a fleet over is run line by line, on devices that had a life before.
func TestTheGuideTakesAFleetOver(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	page, err := os.ReadFile("../docs/guide/take-over-a-fleet.md")
	require.NoError(t, err)
	dir := t.TempDir()
	for name, text := range map[string]string{
		"directory.ldif":      demoDirectory(t),
		"former-accounts.csv": "account,owner\nsetup,Workshop\n",
		"crew.yaml": document("crew", `
accounts: [{key: mooring, name: mooring-####, formerly: [setup], local_groups: [administrators]}]
rotation: [{target: account:mooring}]`),
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	token, err := s.owner.CreateToken(ctx, "guide", "", 1)
	require.NoError(t, err)
	said := map[string]string{}
	var devices []*device
	for _, line := range commandsOf(string(page)) {
		cmd := exec.CommandContext(ctx, "sh", "-c", line)
		cmd.Dir = dir
		cmd.Env = append(os.Environ(), "RANKWARDEN_SERVER="+s.URL, "RANKWARDEN_TOKEN="+token.Secret, "HOME="+dir,
			"PATH="+binaries+":"+os.Getenv("PATH"))
		out, err := cmd.CombinedOutput()
		said[line] = string(out)
		if cmd.ProcessState.ExitCode() != 1 || !strings.HasPrefix(line, "rankwarden preview") { // somebody loses access
			require.NoError(t, err, "%s: %s", line, out)
		}
		switch {
		case strings.HasPrefix(line, "rankwarden enrolment"):
			devices = livedIn(s)
		case strings.HasPrefix(line, "rankwarden change apply"):
			for i, d := range devices {
				s.cycle(d, []string{"SKL-WKS-001", "SKL-WKS-002", "SKL-WKS-003"}[i])
			}
		}
	}
	has := func(line, what string) { t.Helper(); assert.Contains(t, said[line], what) }
	has("rankwarden account list --unknown", "setup")
	has("rankwarden who setup", "nobody")
	has("rankwarden take-over plan former-accounts.csv", "adopt")
	has("rankwarden draft-from --group pilot --tolerance 40% --name first --change first", "It is in the change first")
	has("rankwarden policy check --against-service crew.yaml", "exists already on 1 device")
	has("rankwarden preview first", "Takes over")
	has("rankwarden device administrators SKL-WKS-001", "policy account mooring")
	has("rankwarden password list --group pilot", "mooring-")
	for _, name := range []string{"SKL-WKS-001", "SKL-WKS-002", "SKL-WKS-003"} {
		assert.Equal(t, "in_step", s.why(name).Device.Standing, name)
	}
}

// livedIn enrols three devices into the group of the guide, one of them with an account that somebody set it up with.
func livedIn(s *service) (devices []*device) {
	for _, name := range []string{"SKL-WKS-001", "SKL-WKS-002", "SKL-WKS-003"} {
		d := s.enrolled(name)
		if len(devices) == 0 {
			d.AddAccount("setup")
			require.NoError(s.t, d.Join("administrators", "setup"))
			s.cycle(d, name)
		}
		devices = append(devices, d)
	}
	_, err := s.owner.EditGroup(s.t.Context(), "pilot", client.GroupEdit{Add: []string{"SKL-WKS-001", "SKL-WKS-002",
		"SKL-WKS-003"}}, 1)
	require.NoError(s.t, err)
	return devices
}

// commandsOf are the lines of the code blocks of a page.
func commandsOf(page string) (lines []string) {
	inside := false
	for line := range strings.Lines(page) {
		line = strings.TrimSpace(line)
		switch {
		case strings.HasPrefix(line, "```"):
			inside = !inside
		case inside && line != "":
			lines = append(lines, line)
		}
	}
	return lines
}
