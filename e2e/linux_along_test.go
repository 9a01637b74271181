package e2e

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

// An account that is taken over, rotated and renamed takes along what is kept under its name, and leaves nothing that
// opens it beside its password. Sudoers that are somebody's are moved aside where the policy is strict.
func TestWhatGoesAlongWithAnAccount(t *testing.T) {
	beside(t)
	s := startQuick(t)
	const name = "SKL-INF-917"
	r := realWorkstation(t, name)
	r.sh(`useradd -m -s /bin/bash wall; useradd -m -s /bin/bash dave
		mkdir -m 700 /home/wall/.ssh; echo ssh-ed25519 AAAA > /home/wall/.ssh/authorized_keys
		mkdir -p /var/spool/cron/crontabs /var/lib/systemd/linger /var/mail
		echo '@daily true' > /var/spool/cron/crontabs/wall; touch /var/lib/systemd/linger/wall /var/mail/wall
		echo 'dave ALL=(ALL) NOPASSWD: ALL' > /etc/sudoers.d/dave; echo keep > /home/kept
		ln -s /home/kept /home/wall/.ssh/authorized_keys2; touch /var/log/auth.log`)
	policy := strings.NewReplacer("name: mooring", "name: mooring-####, formerly: [wall], take_over: true",
		"every: 10d", "every: 10d, redraw_name: true", "mode: exact", "mode: exact, sudoers: strict").
		Replace(onlyMooring)
	s.publish("base", policy, 500, "everything")
	s.enrols(r)
	s.comesTo(name, "in_step")

	mooring := s.managed(nil, name).Name
	assert.Equal(t, "S-1-22-1-1000", s.managed(nil, name).SID)
	under := func(of string) string {
		return r.sh("ls /var/spool/cron/crontabs /var/lib/systemd/linger /var/mail | grep -c '^" + of +
			"$' || true; grep -c '^" + of + ":' /etc/subuid /etc/subgid || true")
	}
	assert.Equal(t, "3\n/etc/subuid:1\n/etc/subgid:1", under(mooring))
	assert.Equal(t, "0\n/etc/subuid:0\n/etc/subgid:0", under("wall"))
	assert.Equal(t, "keep", r.sh("ls /home/wall/.ssh; cat /home/kept"), "a link goes, and not what it leads to")
	assert.Equal(t, "dave.moved-aside", r.sh("ls /etc/sudoers.d | grep dave"))

	r.sh("echo ssh-ed25519 AAAA > /home/wall/.ssh/authorized_keys")
	r.sh("echo '" + mooring + " ALL = /usr/bin/id' > /etc/sudoers.d/tools")
	before := s.current(name)
	s.order("rotate", "account:mooring", name)
	s.until(func() bool { return s.current(name) != before })
	s.until(func() bool { return under(s.managed(nil, name).Name) == "3\n/etc/subuid:1\n/etc/subgid:1" })
	assert.Empty(t, r.sh("ls /home/wall/.ssh"))
	s.until(func() bool { return len(s.events(client.EventQuery{Kind: "keys_removed"})) == 2 })

	// Whoever comes in without a terminal used the account too.
	now := s.managed(nil, name).Name
	assert.NotEqual(t, mooring, now)
	assert.True(t, slices.ContainsFunc(s.events(client.EventQuery{Kind: "password_changed"}), func(e api.Event) bool {
		return strings.HasSuffix(e.Words, "the name "+mooring+" still has rights in sudoers.d/tools")
	}))
	s.comesTo(name, "in_step")
	r.sh("echo \"$(date -u +%FT%T.%6N+00:00) pier sshd[4]: pam_unix(sshd:session): session opened for user " + now +
		"(uid=1000) by (uid=0)\" >> /var/log/auth.log")
	s.until(func() bool {
		return slices.ContainsFunc(s.events(client.EventQuery{Kind: "account_used"}), func(e api.Event) bool {
			return strings.Contains(e.Words, now)
		})
	})
}
