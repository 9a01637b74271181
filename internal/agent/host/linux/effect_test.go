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

	"rankwarden.example/core/drift"
)

// services are some of PAM, as files of a system.
func services(files map[string]string) pam {
	all := pam{}
	for name, text := range files {
		all[name] = parsePAM(name, text)
	}
	return all
}

func TestReadingPAM(t *testing.T) {
	all := services(map[string]string{
		"login": "# a remark\nauth optional pam_group.so\n@include common-auth\naccount include " +
			"common-account\nauth include login\n",
		"common-auth": "auth [success=1 default=ignore] \\\n  pam_unix.so nullok # checks\n-auth requisite " +
			"pam_deny.so\nAUTH\trequired\tpam_permit.so\n" +
			"password required pam_unix.so\n",
		"common-account": "account required /lib/security/pam_unix.so\n",
	})
	lines := all.stack("login", "auth")
	require.GreaterOrEqual(t, len(lines), 4, "files that include themselves end")
	assert.Equal(t, []string{"pam_group.so", "pam_unix.so", "pam_deny.so", "pam_permit.so"},
		[]string{lines[0].module, lines[1].module, lines[2].module, lines[3].module})
	assert.Equal(t, "pam.d/common-auth line 1", lines[1].String())
	assert.Equal(t, "[success=1 default=ignore]", lines[1].control)
	assert.Equal(t, []string{"nullok"}, lines[1].args)
	assert.True(t, lines[2].quiet)
	assert.Equal(t, 3, lines[2].number)
	assert.Equal(t, "pam_unix.so", all.stack("login", "account")[0].module)
}

func TestWhereAFaultIs(t *testing.T) {
	counts := "auth required pam_faillock.so preauth\nauth [success=1 default=ignore] pam_unix.so\n" +
		"auth [default=die] pam_faillock.so authfail\nauth required pam_permit.so\n"
	for name, c := range map[string]struct{ login, common, fault string }{
		"enough above": {"@include common-auth\n", "auth sufficient pam_unix.so\n" + counts, "pam.d/common-auth " +
			"line 1: pam_unix.so is enough"},
		"done above": {"@include common-auth\n", "auth [success=done default=ignore] " +
			"pam_unix.so\n" + counts, "line 1: pam_unix.so is enough"},
		"not called":    {"auth required pam_unix.so\n", counts, "pam.d/login does not call pam_faillock.so"},
		"no reason":     {"@include common-auth\n", counts, "pam.d/common-auth line 1 has no effect for login"},
		"counts itself": {"@include common-auth\n", counts + "auth sufficient pam_unix.so\n", "has no effect"},
	} {
		all := services(map[string]string{"login": c.login, "common-auth": c.common})
		assert.Contains(t, all.noLock("login"), c.fault, name)
	}
	all := services(map[string]string{"login": "auth required pam_not_there.so\n-auth required pam_nor_this.so\n",
		"passwd": "password required pam_pwquality.so enforcing=0 dcredit=2\n", "open": "auth sufficient " +
			"pam_permit.so\n"})
	assert.Equal(t, "pam.d/login line 1: pam_not_there.so is not on this device", all.missing("login", "auth"))
	assert.Equal(t, "pam.d/passwd line 1: enforcing=0", all.noQuality())
	assert.Equal(t, "pam.d/passwd does not call pam_pwhistory.so", all.noHistory())
	assert.Contains(t, all.open("open"), "pam_permit.so")
	assert.Empty(t, all.open("login"))
}

// A trial passes by what asks for more than a password, and keeps the number of lines, which some count.
func TestWhatATrialPassesBy(t *testing.T) {
	before := moduleDirs
	t.Cleanup(func() { moduleDirs = before })
	dir := t.TempDir()
	moduleDirs = []string{dir}
	for _, m := range []string{"pam_unix.so", "pam_wheel.so", "pam_otp.so"} {
		written(t, filepath.Join(dir, m), "")
	}
	text := "# remark\nauth sufficient pam_rootok.so\nauth required pam_wheel.so\nauth required pam_otp.so\n" +
		"auth required pam_unix.so\n-auth optional pam_gone.so\n@include common-auth\nauth required pam_missing.so\n"
	assert.Equal(t, "# remark\nauth sufficient pam_rootok.so\nauth optional pam_permit.so\nauth optional "+
		"pam_permit.so\n"+
		"auth required pam_unix.so\nauth optional pam_permit.so\n@include common-auth\nauth required pam_missing.so\n",
		filterPAM(text), "one that is missing fails for everybody, and stays")
}

func TestTheLeastLengthThatIsTaken(t *testing.T) {
	for _, least := range []int{1, 5, 13, 14, 15, 20, 64} {
		tries := 0
		assert.Equal(t, least, leastTaken(14, func(n int) bool { tries++; return n >= least }))
		assert.LessOrEqual(t, tries, 8)
	}
	for range 50 {
		two := mixed(20, letterClasses[:2])
		assert.Len(t, two, 20)
		assert.Empty(t, strings.Trim(two, letterClasses[0]+letterClasses[1]))
	}
}

// Ages are never loosened, and what somebody else set comes back.
func TestAgesAreNeverLoosened(t *testing.T) {
	rules := func(most, least int) drift.Passwords { return drift.Passwords{MaxAgeDays: &most, MinAgeDays: &least} }
	for name, c := range map[string]struct {
		before Ages
		rules  drift.Passwords
		want   Ages
	}{
		"looser":        {Ages{0, 99999}, rules(365, 1), Ages{1, 365}},
		"stricter":      {Ages{5, 60}, rules(365, 1), Ages{5, 60}},
		"never expires": {Ages{-1, -1}, rules(365, 1), Ages{1, -1}},
		"no rule":       {Ages{5, 60}, rules(0, 0), Ages{5, 60}},
	} {
		assert.Equal(t, c.want, wanted(c.before, c.rules), name)
	}
	h := &Host{}
	h.kept.Ages = map[int]agesOf{1000: {Before: Ages{0, 99999}, Set: Ages{1, 90}}}
	assert.Equal(t, Ages{0, 99999}, h.agesBefore(person{uid: 1000, minDays: 1, maxDays: 90}))
	assert.Equal(t, Ages{2, 80}, h.agesBefore(person{uid: 1000, minDays: 2, maxDays: 80}), "somebody changed it since")

	text := "root:*:1:0:99999:7:::\nkeeper:!$y$a:20000:0:99999:7::1:\nother:x:1::::::\nbroken\n"
	path := written(t, filepath.Join(t.TempDir(), "shadow"), text)
	changes := written(t, filepath.Join(t.TempDir(), "changes"), `{"keeper": {"min": 1, "max": 90}, "other": {"min": -1, "max": 30}}`)
	require.NoError(t, EditShadow(changes, path))
	after, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, "root:*:1:0:99999:7:::\nkeeper:!$y$a:20000:1:90:7::1:\nother:x:1::30::::\nbroken\n", string(after))
}

func TestARenameTakesLinesAlong(t *testing.T) {
	assert.Equal(t, "new:100000:65536\nolder:1:2\nnew\n",
		renameLines("old:100000:65536\nolder:1:2\nold\n", "old", "new"))
}

// What PAM tells of sessions is a use of who was meant, and of who asked.
func TestUsesFromTheLog(t *testing.T) {
	d := database{people: []person{{name: "root"}, {name: "mooring", uid: 1000}, {name: "dave", uid: 1001}}}
	for line, want := range map[string][]string{
		"sshd[4]: pam_unix(sshd:session): session opened for user mooring(uid=1000) by (uid=0)": {"mooring"},
		"su: pam_unix(su:session): session opened for user mooring(uid=1000) by " +
			"dave(uid=1001)": {"mooring", "dave"},
		"sudo: pam_unix(sudo:session): session opened for user root(uid=0) by mooring(uid=1000)":        {"mooring"},
		"CRON[7]: pam_unix(cron:session): session opened for user mooring(uid=1000) by (uid=0)":         nil,
		"sshd[4]: pam_unix(sshd:session): session closed for user mooring":                              nil,
		"sshd[4]: Failed password for mooring from 10.0.0.1 port 22 ssh2: session opened for user dave": nil,
	} {
		s, is := parseSession(line)
		assert.Equal(t, want != nil, is, line)
		if is {
			assert.Equal(t, want, s.uses(d), line)
		}
	}
	now := time.Date(2031, 1, 2, 8, 0, 0, 0, time.UTC)
	for line, want := range map[string]string{
		"2031-01-02T07:59:58.123456+00:00 pier sshd[4]: x": "2031-01-02T07:59:58.123456Z",
		"2031-01-02T09:59:58+02:00 pier sshd[4]: x":        "2031-01-02T07:59:58Z",
		"nonsense": "",
	} {
		at, ok := stampOf(line, now)
		assert.Equal(t, want != "", ok, line)
		if ok {
			assert.Equal(t, want, at.Format(time.RFC3339Nano))
		}
	}
	at, ok := stampOf("Dec 31 23:00:00 pier sshd[4]: x", now)
	require.True(t, ok)
	assert.Equal(t, 2030, at.Year(), "of last year")
	lines := parseJournal(`{"MESSAGE":"one","__REALTIME_TIMESTAMP":"1900000000000000","_UID":"0"}` + "\n" +
		`{"MESSAGE":[1,2],"__REALTIME_TIMESTAMP":"1900000000000001","_UID":"0"}` + "\nnonsense\n" +
		`{"MESSAGE":"forged","__REALTIME_TIMESTAMP":"1900000000000002","_UID":"1001","_CAP_EFFECTIVE":"0"}` + "\n" +
		`{"MESSAGE":"two","__REALTIME_TIMESTAMP":"1900000000000003","_UID":"1001","_CAP_EFFECTIVE":"1ffffffffff"}` + "\n")
	require.Len(t, lines, 2)
	assert.Equal(t, int64(1900000000000000), lines[0].at.UnixMicro())
	assert.Equal(t, "two", lines[1].text)
}

func TestWhatSudoListsLeadsToRoot(t *testing.T) {
	for list, leads := range map[string]bool{
		"User dave may run the following commands on pier:\n    (ALL : ALL) ALL\n":                 true,
		"    (root) NOPASSWD: /usr/bin/vi\n":                                                       true,
		"    (root) NOPASSWD: SETENV: /usr/bin/id, /bin/sh\n":                                      true,
		"    (root) /usr/bin/id\n":                                                                 false,
		"    (tide) ALL\n":                                                                         false,
		"User dave is not allowed to run sudo on pier.\n":                                          false,
		"Matching Defaults entries for dave on pier:\n    env_reset, secure_path=/usr/sbin\\:/bin": false,
	} {
		assert.Equal(t, leads, listsRoot(list), list)
	}
}

// Files become what they were where nobody else wrote them since.
func TestFilesAreGivenBack(t *testing.T) {
	dir := t.TempDir()
	h := &Host{dir: dir}
	real := written(t, filepath.Join(dir, "real"), "before\n")
	link := filepath.Join(dir, "link")
	require.NoError(t, os.Symlink(real, link))
	require.NoError(t, h.writeFile(link, "ours\n"))
	require.NoError(t, h.writeFile(link, "ours again\n"))
	info, err := os.Lstat(link)
	require.NoError(t, err)
	assert.NotZero(t, info.Mode()&os.ModeSymlink, "a link is followed, not replaced")
	assert.Equal(t, "ours again\n", string(readOr(real)))
	require.NoError(t, h.giveBackFile(link))
	assert.Equal(t, "before\n", string(readOr(real)))

	fresh := filepath.Join(dir, "fresh")
	require.NoError(t, h.writeFile(fresh, "ours\n"))
	require.NoError(t, h.giveBackFile(fresh))
	assert.NoFileExists(t, fresh)

	require.NoError(t, h.writeFile(real, "ours\n"))
	written(t, real, "somebody's\n")
	require.ErrorIs(t, h.giveBackFile(real), ErrWrittenSince)
	assert.Equal(t, "somebody's\n", string(readOr(real)))
}
