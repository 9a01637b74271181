package e2e

import (
	"encoding/csv"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
)

func TestDemoUntilReportedAndAgain(t *testing.T) {
	beside(t)
	dir, address := dataDir(t), freeAddress(t)
	run := func(extra ...string) (string, error) {
		args := append(
			[]string{
				"demo",
				"--until-reported",
				"--data",
				dir,
				"--listen",
				address,
				"--devices",
				"12",
				"--quiet-people",
			},
			extra...)
		out, err := exec.Command(filepath.Join(binaries, "rankwardend"), args...).CombinedOutput()
		return string(out), err
	}
	out, err := run()
	require.NoError(t, err, out)
	assert.Contains(t, out, "12 of 12 online devices have reported back")
	assert.Regexp(t, `everything\s+12 `, out)
	password := regexp.MustCompile(`Password +(\S+)`)
	first := password.FindStringSubmatch(out)[1]

	out, err = run()
	require.NoError(t, err, out)
	assert.Equal(t, first, password.FindStringSubmatch(out)[1], "a second start goes on")
	out, err = run("--anew")
	require.NoError(t, err, out)
	assert.NotEqual(t, first, password.FindStringSubmatch(out)[1])
	out, err = run("--devices", "20", "--within", "1ms")
	var failed *exec.ExitError
	require.ErrorAs(t, err, &failed, out)
	assert.Equal(t, 1, failed.ExitCode())
	assert.Contains(t, out, "of 20 devices have enrolled")
}

func TestCommandLine(t *testing.T) {
	beside(t)
	d := startDemo(t, "--quiet-people")
	_, errs := d.command(t, 5, "", "device", "list")
	assert.Contains(t, errs, "rankwarden sign-in")
	_, errs = d.command(
		t,
		4,
		"x\n",
		"sign-in",
		"--server",
		"http://127.0.0.1:1",
		"--name",
		"harbourmaster",
		"--password-stdin",
	)
	assert.Contains(t, errs, "does not answer")
	_, errs = d.command(t, 5, "wrong\n", "sign-in", "--server", d.url, "--name", "harbourmaster", "--password-stdin")
	assert.Contains(t, errs, "name or password is wrong")
	out, _ := d.command(
		t,
		0,
		d.password+"\n",
		"sign-in",
		"--server",
		d.url,
		"--name",
		"harbourmaster",
		"--password-stdin",
	)
	assert.Contains(t, out, "Signed in to Skerry Line as harbourmaster (owner, support)")
	info, err := os.Stat(filepath.Join(d.home, "rankwarden", "sign-in.json"))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())

	require.Eventually(t, func() bool { // devices come online one by one
		out, _ = d.command(t, 1, "", "watch", "--within", patience.String())
		return strings.Contains(out, "1 device has held settings")
	}, patience, 100*time.Millisecond, "a contest is left open on purpose, so the answer is no")
	out, _ = d.command(t, 1, "", "held", "-o", "json")
	var held []api.HeldSetting
	require.NoError(t, json.Unmarshal([]byte(out), &held))
	require.NotEmpty(t, held)
	assert.Len(t, held[0].Between, 2)
	out, _ = d.command(t, 0, "", "watch", "--within", patience.String(), "--group", "ticket-desks")
	assert.Contains(t, out, "All online devices are verified.\n")

	require.Eventually(t, func() bool { return d.verified(t, "SKL-TKT-001") }, patience, 100*time.Millisecond)

	// Somebody types a wrong password at a device, and the lock arrives.
	hands := exec.Command(filepath.Join(binaries, "rankwardend"), "demo", "mistype", "SKL-TKT-001", "--data", d.data)
	typed, err := hands.CombinedOutput()
	require.NoError(t, err, string(typed))
	assert.Regexp(t, `mooring-\d{4} on SKL-TKT-001: the account is locked`, string(typed))
	require.Eventually(t, func() bool {
		out, _ = d.command(t, 0, "", "events", "--kind", "account_locked", "--output", "csv")
		return strings.Contains(out, "SKL-TKT-001")
	}, patience, 100*time.Millisecond)
	require.Eventually(t, func() bool { // lists follow what devices report
		out, _ = d.command(t, 0, "", "locked")
		return strings.Contains(out, "SKL-TKT-001")
	}, patience, 100*time.Millisecond)
	d.command(
		t,
		2,
		d.password+"\n",
		"password",
		"show",
		"SKL-TKT-001",
		"--reason",
		"ticket 4711",
		"--print",
		"--password-stdin",
		"-o",
		"csv",
	)
	out, _ = d.command(t, 0, "", "password", "views", "--json")
	assert.Equal(t, "[]\n", out, "what was refused was not shown")
	_, errs = d.command(t, 2, "", "password", "show", "SKL-TKT-001", "--reason", "ticket 4711")
	assert.Contains(t, errs, "to a terminal only")
	out, _ = d.command(
		t,
		0,
		d.password+"\n",
		"password",
		"show",
		"SKL-TKT-001",
		"--reason",
		"ticket 4711",
		"--print",
		"--password-stdin",
	)
	assert.Regexp(t, `(?s)mooring-\d{4} on SKL-TKT-001 .*\n    \S{24}\n.*Because you viewed it, it rotates in`, out)

	// From a file with a slip to devices that have it.
	slip := d.write(t, "counters.yaml", document("counters", "passwords: {min_lenght: 20}"))
	out, _ = d.command(t, 1, "", "policy", "check", slip)
	assert.Contains(t, out, `counters.yaml:3:13`)
	out, _ = d.command(t, 1, "", "policy", "check", slip, "--output", "json")
	var problems []map[string]any
	require.NoError(t, json.Unmarshal([]byte(out), &problems))
	assert.Equal(
		t,
		map[string]any{"file": slip, "path": "passwords.min_lenght", "line": 3.0, "column": 13.0, "severity": "error",
			"code": "unknown_key", "message": `the key "min_lenght" is not known; did you mean "min_length"?`},
		problems[0],
	)
	_, errs = d.command(t, 2, "", "policy", "check", "nowhere.yaml")
	assert.Contains(t, errs, "nowhere.yaml")
	_, errs = d.command(t, 3, "", "policy", "save", slip)
	assert.Contains(t, errs, "did you mean")
	d.write(t, slip, document("counters", "passwords: {min_length: 20}"))
	out, _ = d.command(t, 0, "", "policy", "check", slip)
	assert.Contains(t, out, "devices with Windows that do not take more than 14 enforce 14")
	out, _ = d.command(t, 0, "", "policy", "save", "--publish", slip)
	assert.Contains(t, out, "revision 1. No assignment uses it yet.")
	_, errs = d.command(
		t,
		3,
		"",
		"assignment",
		"set",
		"counters",
		"--policy",
		"counters",
		"--include",
		"ticket-desk",
		"--rank",
		"50",
		"--yes",
	)
	assert.Contains(t, errs, `did you mean "ticket-desks"?`)
	d.command(
		t,
		0,
		"",
		"assignment",
		"set",
		"counters",
		"--policy",
		"counters",
		"--include",
		"ticket-desks",
		"--rank",
		"50",
		"--yes",
	)
	d.command(t, 0, "", "watch", "--within", patience.String(), "--group", "ticket-desks")
	require.Eventually(t, func() bool { return d.verified(t, "SKL-TKT-002") }, patience, 100*time.Millisecond)
	out, _ = d.command(t, 0, "", "device", "show", "SKL-TKT-002")
	assert.Regexp(t, `✓\s+minimum length\s+20 characters\s+20 characters\s+rank 50: counters outranks`, out)

	// The same for programs.
	out, _ = d.command(t, 0, "", "device", "list", "--group", "ticket-desks", "-o", "csv")
	rows, err := csv.NewReader(strings.NewReader(out)).ReadAll()
	require.NoError(t, err)
	assert.Len(t, rows, 1+7)
	assert.Equal(t, "SKL-TKT-001", rows[1][0])
	out, _ = d.command(t, 0, "", "assignment", "list", "-o", "yaml")
	assert.Contains(t, out, "name: base-everywhere")
	// Typos are refused with what was meant; settings are found as they are shown.
	for says, args := range map[string][]string{
		`there is no group "kioskz"; did you mean "kiosks"?`: {"drift", "--group", "kioskz"},
		"there is no kind":               {"drift", "--kind", "nosuch"},
		`did you mean "member_removed"?`: {"events", "--kind", "member_remved"},
		`did you mean "administrators"?`: {"drift", "--unit", "administratrs"},
	} {
		_, errs = d.command(t, 3, "", args...)
		assert.Contains(t, errs, says)
	}
	out, notice := d.command(t, 0, "", "drift", "--most", "0", "-o", "csv")
	assert.NotContains(t, out, "unit_unsupported", "what a platform does not support is listed apart")
	assert.Contains(t, notice, "Not supported by the platform: ")
	out, _ = d.command(t, 0, "", "drift", "--kind", "unit_unsupported", "-o", "csv")
	assert.Contains(t, out, "not supported on this device")
	out, _ = d.command(t, 0, "", "device", "show", "--group", "harbour-offices")
	assert.Contains(t, out, "several accounts fit the name")
	assert.Contains(t, out, "no differences")
	out, _ = d.command(t, 0, "", "drift", "--unit", "administrators", "-o", "csv")
	assert.Contains(t, out, "administrators")
	out, _ = d.command(t, 0, "", "events", "--since", "1h", "-o", "csv")
	assert.Regexp(t, `\n\d{4}-\d\d-\d\dT\d\d:\d\d:\d\dZ,SKL-`, out)
	out, _ = d.command(t, 0, "", "events", "--until", "1h", "--json")
	assert.Equal(t, "[]\n", out)

	// An edit that makes devices held says so, on how many and by whom; one that nobody has is told.
	d.write(t, "other.yaml", document(
		"other",
		"membership: [{local_group: users, mode: exact, members: ['group:Nobody Such@skerryline.example']}]",
	))
	_, errs = d.command(t, 0, "", "policy", "check", "other.yaml")
	assert.Contains(t, errs, "Not checked against the directory")
	_, errs = d.command(t, 1, "", "policy", "save", "--strict", "other.yaml")
	assert.Contains(t, errs, "the directory does not know group:nobody such@skerryline.example")
	_, errs = d.command(t, 0, "", "policy", "save", "--publish", "other.yaml")
	assert.Contains(t, errs, "the directory does not know group:nobody such@skerryline.example")
	d.write(t, "third.yaml", document("third", "membership: [{local_group: users, mode: exact}]"))
	d.command(t, 0, "", "policy", "save", "--publish", "third.yaml")
	d.command(t, 0, "", "assignment", "set", "other", "--policy", "other", "--include", "ticket-desks", "--rank", "60",
		"--yes")
	_, errs = d.command(
		t,
		0,
		"",
		"assignment",
		"set",
		"third",
		"--policy",
		"third",
		"--include",
		"ticket-desks",
		"--rank",
		"60",
		"--yes",
	)
	assert.Regexp(t, `Now held on 7 devices .*users, because of other and third`, errs)
	d.command(t, 0, "", "assignment", "delete", "third", "--yes")
	d.command(t, 0, "", "assignment", "delete", "other", "--yes")
	_, errs = d.command(t, 0, "", "group", "create", "spares", "SKL-TKT-001", "SKL-TKT-999")
	assert.Contains(t, errs, "no device has the name SKL-TKT-999 yet")
	out, _ = d.command(t, 0, "", "drift", "--by", "group")
	assert.Regexp(t, `(?m)^ *Group +Devices +Findings +Oldest`, out)
	out, _ = d.command(t, 0, "", "drift", "--by", "setting")
	assert.Contains(t, out, "Setting")
	_, errs = d.command(t, 2, "", "drift", "--by", "colour")
	assert.Contains(t, errs, "is not one of setting, assignment, group, device")
	out, _ = d.command(t, 0, "", "assignment", "forecast", "stricter-lockout")
	assert.Regexp(t, `If stricter-lockout were enforced, \d+ of 20 devices affected`, out)
	assert.Contains(t, out, "lockout gets stricter")
	assert.Contains(t, out, "By group: kiosks")
	_, errs = d.command(t, 2, "", "assignment", "forecast", "base-everywhere")
	assert.Contains(t, errs, "is enforced already")
	out, _ = d.command(t, 0, "", "assignment", "show", "base-everywhere")
	assert.Contains(t, out, "include  everything")

	// A token goes into a file as it is, and the agent finds it there.
	token, errs := d.command(t, 0, "", "enrolment", "create")
	assert.Equal(t, 1, strings.Count(token, "\n"))
	assert.Contains(t, errs, "It is not shown again")
	file := d.write(t, "token", "# for one device\n"+token)
	enrolled, err := exec.Command(filepath.Join(binaries, "rankwarden-agent"), "--host", "simulated", "--service",
		d.url, "--token-file", filepath.Join(d.home, file), "--state", t.TempDir(), "--name", "SKL-WKS-900", "--once").
		CombinedOutput()
	require.NoError(t, err, string(enrolled))
	assert.Contains(t, string(enrolled), "Enrolled as SKL-WKS-900.")
	out, _ = d.command(t, 0, "", "order", "send", "rotate", "SKL-TKT-002", "--account", "mooring", "--json")
	assert.Contains(t, out, `"given": 1`)
	out, _ = d.command(t, 0, "", "operator", "list")
	assert.Contains(t, out, "support on ticket-desks")
	out, _ = d.command(t, 0, "", "token", "list", "--all")
	assert.Contains(t, out, "harbourmaster")

	out, _ = d.command(t, 0, "", "drift", "-o", "json")
	var findings []api.Finding
	require.NoError(t, json.Unmarshal([]byte(out), &findings))
	assert.NotEmpty(t, findings)
	out, _ = d.command(t, 0, "", "policy", "show", "counters")
	assert.Equal(t, document("counters", "passwords: {min_length: 20}"), out)
	d.command(t, 2, "", "device", "list", "-o", "xml")
	d.command(t, 2, "", "device", "show")
	_, errs = d.command(t, 3, "", "device", "show", "SKL-NONE")
	assert.Contains(t, errs, `there is no device "SKL-NONE"`)
	out, _ = d.command(t, 0, "", "__complete", "device", "show", "SKL-HQ")
	assert.Contains(t, out, "SKL-HQ-001")
	d.command(t, 0, "", "sign-out")
	d.command(t, 5, "", "whoami")
}
