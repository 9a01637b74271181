package e2e

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/demo/workstation"
	"rankwarden.example/e2e/cuts"
)

// failing waits until a device reports a failure of a setting, and gives its reason.
func (s *service) failing(name, unit string) (why string) {
	s.t.Helper()
	s.until(func() bool {
		for _, u := range s.nowOf(name).Units {
			for _, f := range u.Findings {
				if u.Unit == unit && f.Kind == "apply_failed" {
					why = f.Words
				}
			}
		}
		return why != ""
	})
	return why
}

// said are the findings of a setting of a device, in words.
func (s *service) said(name, unit string) (words string) {
	for _, u := range s.nowOf(name).Units {
		for _, f := range u.Findings {
			if u.Unit == unit {
				words += f.Words + "\n"
			}
		}
	}
	return words
}

// wrap puts a script before a program of the workstation; in it, REAL is the program itself.
func (r *real) wrap(program, script string) {
	r.sh(
		"mv " + program + " " + program + ".real && cat > " + program + " <<'END'\n#!/bin/sh\nREAL=" + program +
			".real\n" + script + "\nEND\nchmod 755 " + program,
	)
}

func (r *real) unwrap(program string) { r.sh("mv " + program + ".real " + program) }

const signInRules = "cat /etc/pam.d/common-*; ls /usr/share/pam-configs; cat /var/lib/pam/*"

// A change of the sign-in rules that would lock everybody out, or let everybody in, is put back; so is one in the
// middle of which the power goes.
func TestSignInRulesThatFailTheirTrialArePutBack(t *testing.T) {
	s := startQuick(t)
	const name = "SKL-INF-903"
	r := realWorkstation(t, name)
	before := r.sh(signInRules)
	for _, broken := range []string{"requisite pam_deny.so", "sufficient pam_permit.so"} {
		r.wrap("/usr/sbin/pam-auth-update", `$REAL "$@"; sed -i '1i auth `+broken+`' /etc/pam.d/common-auth`)
		if broken == "requisite pam_deny.so" {
			s.publish("base", mooringOnly+"\nlockout: {threshold: 3}", 500, "everything")
			s.enrols(r)
		}
		assert.Contains(t, s.failing(name, "lockout"), "put back")
		s.until(func() bool { return r.sh(signInRules) == before }) // it tries again every now and then
		r.unwrap("/usr/sbin/pam-auth-update")
		s.comesTo(name, "in_step")
		r.sh(
			"rm /usr/share/pam-configs/rankwarden-*; pam-auth-update --remove rankwarden-lockout " +
				"rankwarden-lockout-count",
		)
	}
	s.comesTo(name, "in_step")
	assert.Error(t, r.SignIn(t.Context(), "nobody-here", "x"))
}

func TestThePowerGoesWhileSignInRulesAreOnTrial(t *testing.T) {
	s := startQuick(t)
	const name = "SKL-INF-904"
	r := realWorkstation(t, name)
	disk := t.TempDir()
	again := func() {
		require.NoError(t, r.Stop())
		w, err := workstation.Start(context.Background(), must(rootFS()), disk, name)
		require.NoError(t, err)
		r.Workstation, r.Hands.Command = w, w.Command
	}
	again()
	require.NoError(t, r.InstallAgent(binaries))
	before := r.sh(signInRules)
	r.wrap("/usr/sbin/pam-auth-update", `$REAL "$@"; touch /cut; exec sleep 1000`)
	s.publish("base", mooringOnly+"\nlockout: {threshold: 3}", 500, "everything")
	stop := s.enrols(r)
	s.until(func() bool { s.settled(); _, err := os.Stat(r.Path("/cut")); return err == nil })
	assert.NotEqual(t, before, r.sh(signInRules))
	stop()
	again()
	r.unwrap("/usr/sbin/pam-auth-update")
	r.wrap("/usr/sbin/useradd", "exit 1") // nothing can be tried: what is put back stays
	s.begins(r)
	s.until(func() bool { return r.sh(signInRules) == before })
	r.unwrap("/usr/sbin/useradd")
	s.comesTo(name, "in_step")
}

func must[T any](v T, err error) T {
	if err != nil {
		panic(err)
	}
	return v
}

// What the system refuses is said with its reason, nothing is half done, and the device goes on when it can again.
func TestWhatALinuxWorkstationRefuses(t *testing.T) {
	s := startQuick(t)
	const name = "SKL-INF-905"
	r := realWorkstation(t, name)
	s.publish("base", mooringOnly, 500, "everything")
	s.publish("odd", `accounts: [{key: spare, name: Lamp mooring}]
passwords: {min_length: 4}
membership: [{local_group: remote-desktop-users, mode: adjust, members: [account:mooring]}]
builtins: {guest: {enabled: false}, administrator: {name: skipper}}`, 400, "everything")
	s.enrols(r)
	assert.Contains(t, s.failing(name, "accounts.spare"), "holds a blank")
	assert.Contains(t, s.failing(name, "passwords.min_length"), "6 characters at least")
	for _, unit := range []string{"membership.remote-desktop-users", "builtins.guest.enabled",
		"builtins.administrator.name"} {
		assert.Contains(t, s.said(name, unit), "not supported", unit)
	}
	odd, err := s.owner.Assignment(t.Context(), "odd")
	require.NoError(t, err)
	require.NoError(t, s.owner.DeleteAssignment(t.Context(), "odd", odd.Version))
	s.comesTo(name, "in_step")

	// A program that is not there, and one that complains.
	r.sh("mv /usr/bin/gpasswd /usr/bin/gpasswd.away; sed -i 's/^sudo:.*/sudo:x:27:mallory/' /etc/group")
	s.until(func() bool { return strings.Contains(s.said(name, "membership.administrators"), "not supported") })
	r.sh("mv /usr/bin/gpasswd.away /usr/bin/gpasswd")
	s.comesTo(name, "in_step")
	r.wrap("/usr/bin/gpasswd", "echo 'gpasswd: cannot lock /etc/group; try again later.' >&2; exit 10")
	r.sh("sed -i 's/^sudo:.*/sudo:x:27:mallory/' /etc/group")
	s.until(func() bool {
		return strings.Contains(s.said(name, "membership.administrators"), "cannot lock /etc/group")
	})
	r.unwrap("/usr/bin/gpasswd")
	s.comesTo(name, "in_step")

	// A disk that takes nothing more.
	r.sh("mount -o bind /etc /etc && mount -o remount,ro,bind /etc; : > /dev/null")
	mooring := s.current(name)
	s.order("rotate", "account:mooring", name)
	assert.Contains(t, s.failing(name, "rotation.account:mooring"), "manipulation error")
	r.sh("umount /etc")
	s.clock.forward(2 * time.Hour) // what failed is tried again
	s.until(func() bool { return s.current(name) != mooring })
	s.comesTo(name, "in_step")
	require.NoError(t, r.SignIn(t.Context(), s.managed(nil, name).Name, s.current(name)))
}

// A disk that is full keeps an agent from noting what it begins, so that it begins nothing; it goes on when there is
// room.
func TestAFullDiskOnLinux(t *testing.T) {
	s := startQuick(t)
	const name = "SKL-INF-912"
	r := realWorkstation(t, name)
	r.sh("mkdir -p /var/lib/rankwarden-agent && mount -t tmpfs -o size=256k state /var/lib/rankwarden-agent")
	s.publish("base", mooringOnly, 500, "everything")
	s.enrols(r)
	s.comesTo(name, "in_step")
	before, hash := s.current(name), r.sh("getent shadow mooring")
	r.sh("cat /dev/zero > /var/lib/rankwarden-agent/filler 2>/dev/null || true")
	s.order("rotate", "account:mooring", name)
	s.until(func() bool { return strings.Contains(r.said(), "no space left on device") })
	assert.Equal(t, hash, r.sh("getent shadow mooring"))
	s.until(func() bool { return waitsFor(s, "trouble") }) // the service is told all the same
	r.sh("rm /var/lib/rankwarden-agent/filler")
	s.until(func() bool { return !waitsFor(s, "trouble") })
	s.until(func() bool { return s.current(name) != before })
	s.comesTo(name, "in_step")
	require.NoError(t, r.SignIn(t.Context(), "mooring", s.current(name)))
}

// usermod writes one file after the other. When the power goes in between, the account has its new name and nothing
// opens it: the agent finishes that as soon as it starts, also when the service cannot be reached.
func TestThePowerGoesInTheMiddleOfARename(t *testing.T) {
	s := startQuick(t)
	const name = "SKL-INF-913"
	r := realWorkstation(t, name)
	s.publish("base", strings.Replace(mooringOnly, "name: mooring", "name: lampman", 1), 500, "everything")
	stop := s.enrols(r)
	s.comesTo(name, "in_step")
	stop()
	password, sid := s.current(name), s.managed(nil, name).SID
	require.NoError(t, r.SignIn(t.Context(), "lampman", password))

	r.wrap("/usr/sbin/usermod", `case "$*" in *--login*) sed -i 's/^lampman:/mooring:/' /etc/passwd; kill -9 $PPID; exit 1;; esac; exec $REAL "$@"`)
	p, err := s.owner.Policy(t.Context(), "base")
	require.NoError(t, err)
	p, err = s.owner.SavePolicy(t.Context(), "base", document("base", mooringOnly), p.Version)
	require.NoError(t, err)
	_, err = s.owner.PublishPolicy(t.Context(), "base", p.Version)
	require.NoError(t, err)
	s.settled()
	r.sh("(" + agentLine + s.URL + " --once) || true")
	require.Contains(t, r.sh("cut -d: -f1 /etc/passwd /etc/shadow"), "mooring\nroot", "cut in the middle")
	r.unwrap("/usr/sbin/usermod")
	r.sh("(" + agentLine + "http://127.0.0.1:1 --once) || true")
	require.NoError(t, r.SignIn(t.Context(), "mooring", password))
	assert.Equal(t, "sudo:x:27:mooring", r.sh("getent group sudo"))
	assert.Contains(t, r.sh("id mooring"), "(mooring) gid")
	assert.Contains(t, r.sh("getent group"), "mooring:x:")

	s.begins(r)
	s.comesTo(name, "in_step")
	assert.Equal(t, sid, s.managed(nil, name).SID)
}

// What an agent kept is of no use on another machine: the service knows nobody there, and an operator must accept it.
func TestAStolenStateDirectory(t *testing.T) {
	s := startQuick(t)
	const name = "SKL-INF-906"
	r := realWorkstation(t, name)
	s.publish("base", mooringOnly, 500, "everything")
	stop := s.enrols(r)
	s.comesTo(name, "in_step")
	assert.Regexp(
		t,
		`^{"sealed_key":"[^"]+","root":`,
		r.sh("cat /var/lib/rankwarden-agent/agent.json"),
		"no key lies open",
	)
	stop()
	r.sh("pkill rankwarden-agen || true")

	thief := realWorkstation(t, name)
	files, err := filepath.Glob(r.Path("/var/lib/rankwarden-agent/*"))
	require.NoError(t, err)
	thief.sh("mkdir -p -m 700 /var/lib/rankwarden-agent")
	for _, f := range files {
		require.NoError(t, thief.Install(f, filepath.Join("/var/lib/rankwarden-agent", filepath.Base(f))))
	}
	thief.sh("mkdir -p /etc/rankwarden && umask 077 && echo " + s.enrolmentToken(1) + " > /etc/rankwarden/token")
	out, err := thief.Run(t.Context(), agentLine+s.URL+" --once")
	require.Error(t, err)
	assert.Contains(t, out, "it belongs to another machine")
	thief.sh("rm -r /var/lib/rankwarden-agent")
	assert.Contains(t, thief.sh(agentLine+s.URL+" --once"), "must accept this device")
	assert.NotContains(t, thief.sh("getent passwd"), "mooring")
	assert.Equal(t, "live", s.why(name).Device.State, "the true one is as it was")
}

// Wherever the power of a real workstation goes, the password that its account has is in escrow.
func TestCutsOnLinux(t *testing.T) {
	beside(t)
	realWorkstation(t, "SKL-INF-907") // or why there are none
	require.NoError(t, cuts.Linux(t.Context(), cluster, must(rootFS()), filepath.Join(binaries, "rankwarden-agent"), 1))
}

// People of the directory are members by the names that the system's name services know them by; a local account that
// only has the name is somebody else.
func TestPeopleOfTheDirectoryOnLinux(t *testing.T) {
	s := startQuick(t)
	const name = "SKL-INF-908"
	r := realWorkstation(t, name)
	ldif, err := os.ReadFile("../demo/directory.ldif")
	require.NoError(t, err)
	_, err = s.owner.ImportDirectory(t.Context(), ldif, true, false)
	require.NoError(t, err)
	s.publish(
		"base",
		mooring+"membership: [{local_group: administrators, mode: exact, members: [account:mooring, "+
			"user:asta.holm@skerryline.example, user:runa.breck@skerryline.example, group:Desk "+
			"Support@skerryline.example]}]",
		500,
		"everything",
	)
	r.sh(
		"useradd -m runa.breck; sed -i 's/^passwd:.*/passwd: files extrausers/' /etc/nsswitch.conf; mkdir -p " +
			"/var/lib/extrausers; echo 'asta.holm:x:70001:70001:Asta Holm:/home/asta.holm:/bin/sh' > " +
			"/var/lib/extrausers/passwd",
	)
	s.enrols(r)
	s.until(func() bool { return strings.Contains(s.said(name, "membership.administrators"), "cannot hold groups") })
	said := s.said(name, "membership.administrators")
	assert.Contains(t, said, "does not know user:runa.breck@skerryline.example", "the local account is somebody else")
	assert.NotContains(t, said, "asta.holm")
	mooring := s.managed(nil, name).Name
	assert.Equal(t, "asta.holm,"+mooring, members(r, "sudo"))
	r.sh("gpasswd -a runa.breck sudo")
	s.until(func() bool { return members(r, "sudo") == "asta.holm,"+mooring })
	r.sh("sed -i s/asta.holm/ghost,asta.holm/ /etc/group")
	s.until(func() bool { return members(r, "sudo") == "asta.holm,"+mooring })
}

// The password of an account that is disabled is set, kept and checked while its lock stays on, and opens it later.
func TestALockedPasswordIsAtNoMomentOpen(t *testing.T) {
	s := startQuick(t)
	const name = "SKL-INF-913"
	r := realWorkstation(t, name)
	for _, program := range []string{"/usr/sbin/chpasswd", "/usr/sbin/usermod"} {
		r.wrap(program, `$REAL "$@"; status=$?; echo "$* $(grep ^spare: /etc/shadow)" >> /seen; exit $status`)
	}
	s.publish("base", mooringOnly, 500, "everything")
	s.publish("spare", `accounts: [{key: spare, name: spare, state: disabled}]
rotation: [{target: account:spare}]`, 500, "everything")
	s.enrols(r)
	s.comesTo(name, "in_step")
	before := s.currentOf(name, "spare")
	s.order("rotate", "account:spare", name)
	s.until(func() bool { return s.currentOf(name, "spare") != before })
	for line := range strings.Lines(r.sh("grep spare: /seen")) {
		assert.Contains(t, line, " spare:!", line)
		assert.NotContains(t, line, "--unlock --expiredate  spare")
	}
	assert.Contains(t, r.sh("cat /seen"), "--encrypted")

	s.publish("spare-open", "accounts: [{key: spare, name: spare}]", 400, "everything")
	s.until(func() bool { return strings.Contains(r.sh("getent shadow spare"), "spare:$") })
	require.NoError(t, r.SignIn(t.Context(), "spare", s.currentOf(name, "spare")))
}
