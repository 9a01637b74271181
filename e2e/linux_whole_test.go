package e2e

import (
	"context"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/client"
	"rankwarden.example/demo/workstation"
)

// wholeFS is the root file system of workstations that boot.
var wholeFS = sync.OnceValues(func() (string, error) {
	return workstation.Whole.Root(context.Background(), "../.cache")
})

// wholeWorkstation boots one, with systemd and all that it runs.
func wholeWorkstation(t *testing.T, name string) *real {
	return workstationOver(t, wholeFS, func(root string) (*workstation.Workstation, error) {
		ctx, cancel := context.WithTimeout(t.Context(), patience)
		defer cancel()
		return workstation.Boot(ctx, root, name)
	})
}

// Debian 13, booted, is a host like any other: with its own login(1), a journal in place of logs, and sessions that
// systemd keeps.
func TestABootedLinuxIsAHost(t *testing.T) {
	beside(t)
	r := wholeWorkstation(t, "SKL-INF-921")
	require.NoError(t, r.InstallAgent(binaries))
	out, err := r.Command(t.Context(), "rankwarden-agent", "host-check", "--throw-away", "--state",
		"/var/lib/rankwarden-agent").CombinedOutput()
	require.NoError(t, err, string(out))
	assert.Contains(t, string(out), "SKL-INF-921: linux debian 13")
	assert.NotContains(t, string(out), "FAILS")
}

// The agent lives as a service of systemd: what it may do there is enough for all that it does; it tells the journal of
// each change; keys that sign in are uses; and with a session ends whatever was begun in it, as whomever.
func TestTheServiceOfTheAgent(t *testing.T) {
	beside(t)
	s := startQuick(t)
	const name = "SKL-INF-922"
	r := wholeWorkstation(t, name)
	r.sh("localedef -i de_DE -f UTF-8 de_DE.UTF-8; echo LANG=de_DE.UTF-8 > /etc/locale.conf; systemctl daemon-reexec")
	s.publish("base", onlyMooring+"passwords: {min_length: 14, history: 3, complexity: true}\nlockout: {threshold: "+
		"5, window: 15m, duration: 15m}\n", 500, "everything")
	r.packages("0.14.0", "rankwarden-agent")
	r.sh("umask 077; echo " + s.enrolmentToken(1) + " > /root/token; dpkg -i /root/rankwarden-agent.deb")
	r.sh("rankwarden-agent set-up --service " + s.URL + " --token-file /root/token")
	s.comesTo(name, "in_step")
	assert.Equal(t, "active", r.sh("systemctl is-active rankwarden-agent"))
	assert.Contains(t, r.sh("tr '\\0' '\\n' < /proc/$(pidof rankwarden-agent)/environ"), "LANG=de_DE.UTF-8")
	told := r.sh("journalctl --unit=rankwarden-agent --output=cat --no-pager")
	assert.Contains(t, told, "account_created")
	assert.NotContains(t, told, s.current(name))

	// Signed in with a key, by sshd(8) on a port that is free.
	_, port, _ := strings.Cut(freeAddress(t), ":")
	r.sh("mkdir -p /run/sshd; /usr/sbin/sshd -p " + port + " -o ListenAddress=127.0.0.1; " +
		"ssh-keygen -q -t ed25519 -N '' -f /root/key; install -d -o mooring -m 700 /home/mooring/.ssh; " +
		"install -o mooring -m 600 /root/key.pub /home/mooring/.ssh/authorized_keys")
	r.sh("ssh -n -i /root/key -p " + port + " -o StrictHostKeyChecking=no mooring@127.0.0.1 true")
	s.until(func() bool { return len(s.events(client.EventQuery{Kind: "account_used"})) > 0 })
	become := "echo '" + s.current(name) + "' | sudo -S -b setsid nohup env -i sleep 4714 > /dev/null 2>&1"
	ssh := r.Command(t.Context(), "ssh", "-i", "/root/key", "-p", port, "mooring@127.0.0.1", become+"; exec sleep 4715")
	require.NoError(t, ssh.Start())
	t.Cleanup(func() { _ = ssh.Process.Kill(); _ = ssh.Wait() })
	running := func(what string) bool {
		_, err := r.Run(t.Context(), "pgrep -f '^sleep "+what+"'")
		return err == nil
	}
	s.until(func() bool { return running("4714") && running("4715") })
	assert.Contains(t, r.sh("loginctl list-users"), "mooring")
	s.order("end-sessions", "account:mooring", name)
	s.until(func() bool { return s.became(name)[0] == "end-sessions done" })
	assert.False(t, running("4714"), "what root runs for the session")
	assert.False(t, running("4715"))
	s.comesTo(name, "in_step")
}
