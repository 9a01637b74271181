//go:build linux

package linux

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host"
)

// tools are programs of a test, as scripts.
func tools(t *testing.T, scripts map[string]string) Tools {
	dir := t.TempDir()
	for name, script := range scripts {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte("#!/bin/sh\n"+script+"\n"), 0o755))
	}
	return Tools{Dirs: []string{dir, "/usr/bin", "/bin"}, Limit: time.Minute}
}

func TestAToolThatFails(t *testing.T) {
	at := tools(t, map[string]string{
		"complains": "echo 'complains: (user keeper) failed, error:' >&2; echo 'Authentication token manipulation " +
			"error' >&2; exit 3",
		"silent":   "exit 1",
		"chatters": "head -c 10000000 /dev/zero | tr '\\0' x",
		"reads":    "cat",
		"hangs":    "sleep 1000 & echo $! > \"$1\"; wait",
	})
	_, err := at.run(t.Context(), "", "absent")
	assert.ErrorIs(t, err, ErrMissing)
	assert.ErrorIs(t, err, host.ErrUnsupported)
	_, err = at.run(t.Context(), "", "complains")
	assert.EqualError(t, err, "complains: (user keeper) failed, error: Authentication token manipulation error")
	_, err = at.run(t.Context(), "", "silent")
	assert.EqualError(t, err, "silent: exit status 1")
	out, err := at.run(t.Context(), "", "chatters")
	require.NoError(t, err)
	assert.Equal(t, mostOutput, len(out), "no more is read than a tool may say")
	out, err = at.run(t.Context(), "secret", "reads")
	require.NoError(t, err)
	assert.Equal(t, "secret", out)

	at.Limit = 100 * time.Millisecond
	pid := filepath.Join(t.TempDir(), "pid")
	_, err = at.run(t.Context(), "", "hangs", pid)
	assert.ErrorIs(t, err, ErrSlow)
	if child, readErr := os.ReadFile(pid); readErr == nil { // a busy machine may not have come so far
		ended := func() bool { // its end was asked for, and comes when the machine comes to it
			stat := string(readOr("/proc/" + strings.TrimSpace(string(child)) + "/stat"))
			return stat == "" || strings.Contains(stat, ") Z ")
		}
		assert.Eventually(t, ended, time.Minute, time.Millisecond, "what it started has ended too")
	}
}

func TestReadingWhoThereIs(t *testing.T) {
	people := parsePeople(
		"root:x:0:0:root:/root:/bin/bash\n# a remark\nbroken\nkeeper:x:1000:1000:Lamp keeper,,,,Day, and "+
			"night:/home/k:/bin/sh\n+::::::\nodd:x:minus:0:::\n",
		"root:*:20000:0:99999:7:::\nkeeper:!$y$abc:20100:1:60:7::1:\n")
	require.Len(t, people, 2)
	d := database{people: people, defs: map[string]string{}}
	k := d.account(people[1], lock{}, 0)
	assert.Equal(t, "Lamp keeper|Day, and night|false|true",
		strings.Join([]string{k.FullName, k.Description, yes(k.Enabled), yes(k.PasswordExpires)}, "|"))
	assert.Equal(t, "administrator", d.account(people[0], lock{}, 0).Builtin)
	assert.False(t, d.account(people[0], lock{}, 0).Enabled)
	assert.True(t, person{hash: "", expires: -1}.enabled(time.Now()), "an account without a password is open")
	unlocked := people[1]
	unlocked.hash = "$y$abc"
	assert.Equal(t, people[1].stamp(), unlocked.stamp(), "locking sets no password")

	gecos, err := writeGECOS("Old,Room 4,,,was", unit.Details{FullName: "New", Description: "was"})
	require.NoError(t, err)
	assert.Equal(t, "New,Room 4,,,was", gecos)
	for _, full := range []string{"a,b", "a:b", "a\nb"} {
		_, err = writeGECOS("", unit.Details{FullName: full})
		assert.ErrorContains(t, err, "take it out of the policy")
	}
	for name, why := range map[string]string{
		"lamp keeper": "blank", "4711": "digits only", "~x": "begins", "keeper-": "", "Ελένη": "", "": "empty",
		strings.Repeat("ö", 20): "40 bytes", "%wheel": "holds", "ALL": "sudoers", "ops$(id)": "holds", "a,b": "holds",
	} {
		err := checkName(name)
		if why == "" {
			assert.NoError(t, err, name)
			continue
		}
		assert.ErrorContains(t, err, why, name)
		assert.ErrorIs(t, err, host.ErrName, name)
	}
}

func yes(b bool) string {
	if b {
		return "true"
	}
	return "false"
}

// Wrong passwords lock as pam_faillock counts them, whatever else the program says.
func TestCountingWrongPasswords(t *testing.T) {
	tallies := parseTallies("keeper:\nWhen                Type  Source      Valid\n2031-03-04 06:00:00 TTY   pts/0   " +
		"       V\n" +
		"2031-03-04 06:04:00 SVC   su             V\n2031-03-04 06:04:30 SVC   su             I\nnonsense\n\nghost:\n")
	require.Len(t, tallies["keeper"], 2)
	at := func(minute int) time.Time { return time.Date(2031, 3, 4, 6, minute, 0, 0, time.UTC) }
	rule := unit.LockoutRule{Threshold: 2, DurationMinutes: 10, WindowMinutes: 5}
	assert.True(t, lockOf(tallies["keeper"], rule, at(13)).locked)
	assert.Equal(t, at(14), *lockOf(tallies["keeper"], rule, at(13)).until)
	assert.False(t, lockOf(tallies["keeper"], rule, at(15)).locked)
	rule.WindowMinutes = 4
	assert.False(t, lockOf(tallies["keeper"], rule, at(5)).locked, "the first lies before the window")
	assert.Equal(t, lock{locked: true}, lockOf(tallies["keeper"], unit.LockoutRule{Threshold: 1, WindowMinutes: 1},
		at(50)))
}

func TestChangingASettingLeavesTheRest(t *testing.T) {
	text := "# deny = 3\ndeny = 9 # ours\nsilent\nDENY = 1\ndeny=4\n"
	assert.Equal(t, "# deny = 3\ndeny = 9 # ours\nsilent\nDENY = 1\ndeny = 5\nunlock_time = 0\n",
		withSettings(text, " = ", setting{"deny", "5"}, setting{"unlock_time", "0"}))
	assert.Equal(t, "PASS_MAX_DAYS\t60\n#PASS_MAX_DAYS 1\n",
		withSettings("PASS_MAX_DAYS   99999\n#PASS_MAX_DAYS 1\n", "\t", setting{"PASS_MAX_DAYS", "60"}))
}
