package e2e

import (
	"context"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/client"
)

// packages builds those of a version, of the programs that are built already, and puts one into a workstation.
func (r *real) packages(version, name string) (deb string) {
	dir := r.t.TempDir()
	built, err := filepath.Abs(binaries)
	require.NoError(r.t, err)
	of := map[string]string{"rankwarden-agent": "agent", "rankwarden": "service"}[name]
	cmd := exec.Command("../scripts/packages", "amd64")
	cmd.Env = append(os.Environ(), "VERSION="+version, "OUT="+dir, "BUILT="+built, "ONLY=linux", "OF="+of)
	out, err := cmd.CombinedOutput()
	require.NoError(r.t, err, string(out))
	sums := exec.Command("sha256sum", "--check", "SHA256SUMS")
	sums.Dir = dir
	require.NoError(r.t, sums.Run())
	deb = filepath.Join(dir, name+"_"+version+"_amd64.deb")
	require.NoError(r.t, r.Install(deb, "/root/"+name+".deb"))
	return deb
}

// pleases has the checker of Debian look at a package. Programs of the tests are built otherwise than those that are
// handed out: they carry symbols and may need a library.
func pleases(t *testing.T, deb string) {
	out, err := exec.Command("lintian", "--allow-root", "--fail-on", "error", "--suppress-tags",
		"unstripped-binary-or-object,missing-dependency-on-libc", deb).CombinedOutput()
	require.NoError(t, err, string(out))
}

// allRules prints what holds for passwords and for signing in.
const allRules = "cat /etc/pam.d/* /etc/login.defs /etc/security/*.conf; ls --ignore opasswd.old /etc/security " +
	"/usr/share/pam-configs /var/lib/pam; grep ^erlend /etc/shadow; cat /etc/security/opasswd"

// The package of the agent is installed, enrols the device with one line, is upgraded without losing who it is, and
// goes.
func TestThePackageOfTheAgent(t *testing.T) {
	s := startQuick(t)
	const name = "SKL-INF-911"
	r := realWorkstation(t, name)
	r.sh("rm /usr/bin/rankwarden-agent /usr/bin/rankwarden-pam")
	r.sh("useradd -m erlend; chage -m 5 -M 60 erlend; gpasswd -a erlend games")
	rules := r.sh(allRules)
	s.publish("base", strings.Replace(strictRules, "complexity: true", "complexity: true, max_age_days: 365, "+
		"min_age_days: 1", 1), 500, "everything")
	pleases(t, r.packages("0.14.0", "rankwarden-agent"))
	r.sh("umask 077; echo " + s.enrolmentToken(1) + " > /root/token")
	out := r.sh(
		"dpkg -i /root/rankwarden-agent.deb && rankwarden-agent set-up --service " + s.URL +
			" --token-file /root/token",
	)
	assert.Contains(t, out, "systemd does not run here")
	assert.Equal(t, "600", r.sh("stat -c %a /etc/rankwarden/token"))
	_, err := r.Run(t.Context(), "rankwarden-agent set-up --service 'warden; rm -rf /' --token-file /root/token")
	require.ErrorContains(t, err, "is no address of a service")

	// What the unit starts, as it stands there.
	unit := r.sh("sed -n 's/^ExecStart=//p' /usr/lib/systemd/system/rankwarden-agent.service")
	once := func() string { return r.sh(". /etc/rankwarden/agent.env; " + unit + " --once") }
	assert.Contains(t, once(), "Enrolled as "+name)
	_, err = r.Run(t.Context(), "ls /etc/rankwarden/token")
	require.Error(t, err, "the token is of no use any more")
	s.settled()
	s.until(func() bool { once(); s.settled(); return standing(s, name) == "in_step" })
	device := s.why(name).Device
	assert.Equal(t, "0.14.0", device.AgentVersion)
	assert.Contains(t, r.sh("rankwarden-agent --version"), "0.14.0")

	before := r.sh("cat /var/lib/rankwarden-agent/agent.json | sha256sum; getent passwd mooring")
	r.sh("mv /root/rankwarden-agent.deb /root/first.deb")
	r.packages("0.14.1", "rankwarden-agent")
	r.sh("dpkg -i /root/rankwarden-agent.deb")
	assert.Contains(t, r.sh("dpkg -s rankwarden-agent"), "Version: 0.14.1")
	assert.Equal(t, before, r.sh("cat /var/lib/rankwarden-agent/agent.json | sha256sum; getent passwd mooring"))
	once()
	assert.Equal(t, device.ID, s.why(name).Device.ID, "it is the same device")

	// So it is after a way back to the version before.
	r.sh("dpkg -i /root/first.deb")
	assert.Contains(t, r.sh("dpkg -s rankwarden-agent"), "Version: 0.14.0")
	once()
	assert.Equal(t, device.ID, s.why(name).Device.ID)

	require.Contains(t, r.sh("cat /etc/pam.d/common-auth"), "pam_faillock")
	said := r.sh("dpkg -r rankwarden-agent 2>&1")
	assert.Contains(t, said, "done  mooring was disabled")
	_, err = r.Run(t.Context(), "command -v rankwarden-agent")
	assert.Error(t, err)
	assert.Equal(t, rules, r.sh(allRules), "the rules are what they were, to the byte")
	assert.NotEmpty(t, r.sh("getent passwd mooring"), "accounts stay")
	r.sh("dpkg -P rankwarden-agent")
	_, err = r.Run(t.Context(), "ls /var/lib/rankwarden-agent /etc/rankwarden/agent.env")
	assert.Error(t, err)

	// What was preseeded enrols the device, and is forgotten.
	r.sh("printf 'rankwarden-agent rankwarden-agent/service string " + s.URL +
		"\nrankwarden-agent rankwarden-agent/token password " + s.enrolmentToken(1) + "\n' | debconf-set-selections")
	r.sh("DEBIAN_FRONTEND=noninteractive dpkg -i /root/rankwarden-agent.deb")
	assert.Equal(t, "RANKWARDEN_SERVICE="+s.URL, r.sh("cat /etc/rankwarden/agent.env"))
	assert.Contains(t, r.sh("cat /etc/rankwarden/token"), "rwe.")
	assert.NotContains(t, r.sh("cat /var/cache/debconf/*.dat"), "rwe.")
}

// The package of the service makes its user and its directories; what the unit may do is little.
func TestThePackageOfTheService(t *testing.T) {
	beside(t)
	r := realWorkstation(t, "SKL-HQ-900")
	pleases(t, r.packages("0.14.0", "rankwarden"))
	r.sh("dpkg -i /root/rankwarden.deb")
	assert.Contains(t, r.sh("rankwardend --version; rankwarden --version"), "rankwarden version 0.14.0")
	assert.Equal(t, "rankwarden rankwarden 700", r.sh("stat -c '%U %G %a' /var/lib/rankwarden"))
	assert.Contains(t, r.sh("getent passwd rankwarden"), "/usr/sbin/nologin")

	// As the guide has it, but for the database, which is another machine's.
	database, err := cluster.CreateDatabase(t.Context(), "packaged")
	require.NoError(t, err)
	address := freeAddress(t)
	r.sh("cat > /etc/rankwarden/rankwardend.yaml <<'END'\nlisten: " + address + "\ndatabase: " + database +
		"\nkeys: /var/lib/rankwarden/keys.json\nescrow-keys: /var/lib/rankwarden/escrow.json\nfirst-password: " +
		"/var/lib/rankwarden/first-password\nEND")
	as := "setpriv --reuid=rankwarden --regid=rankwarden --clear-groups "
	r.sh(as + "rankwardend keys new --service --config /etc/rankwarden/rankwardend.yaml")
	unit := r.sh("sed -n 's/^ExecStart=//p' /usr/lib/systemd/system/rankwardend.service")
	ctx, cancel := context.WithCancel(context.Background())
	serve := r.Command(ctx, "/bin/sh", "-c", "cd /var/lib/rankwarden; exec "+as+unit)
	require.NoError(t, serve.Start())
	t.Cleanup(func() { cancel(); _ = serve.Wait() })
	require.Eventually(t, func() bool {
		resp, err := http.Get("http://" + address + "/readyz")
		if err != nil {
			return false
		}
		defer resp.Body.Close()
		return resp.StatusCode == http.StatusOK
	}, patience, 20*time.Millisecond)
	owner := client.New("http://"+address, "").Look(hasLooked)
	require.Eventually(t, func() bool { // the password lies there before its owner does
		password, err := os.ReadFile(r.Path("/var/lib/rankwarden/first-password"))
		if err == nil {
			_, err = owner.SignIn(t.Context(), "owner", strings.TrimSpace(string(password)))
		}
		return err == nil
	}, patience, 200*time.Millisecond)
	r.sh("pkill rankwardend; dpkg -P rankwarden")
	assert.Contains(t, r.sh("ls /var/lib/rankwarden"), "keys.json", "the root of all trust is nobody's to purge")

	for unit, most := range map[string]string{"agent/rankwarden-agent": "40", "service/rankwardend": "20"} {
		cmd := exec.Command(
			"systemd-analyze",
			"security",
			"--offline=true",
			"--threshold="+most,
			"../packaging/"+unit+".service",
		)
		if cmd.Path == "systemd-analyze" {
			t.Log("systemd-analyze is not installed, so that the units were not looked at")
			continue
		}
		out, err := cmd.CombinedOutput()
		assert.NoError(t, err, strings.TrimSpace(string(out)))
	}
}
