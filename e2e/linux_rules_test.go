package e2e

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/agent/host/linux/hands"
)

// strictRules are rules for passwords and for wrong ones.
const strictRules = mooringOnly + `
passwords: {min_length: 14, history: 3, complexity: true}
lockout: {threshold: 3, duration: 10m}
`

// Rules are what the system does, not what stands in its files: each of these leaves the files that the agent writes as
// they are, and is told with the file and the line at fault.
func TestRulesAreReadByTheirEffect(t *testing.T) {
	beside(t)
	s := startQuick(t)
	const name = "SKL-INF-914"
	r := realWorkstation(t, name)
	// As on a hardened machine: su is for some only, and nobody else may even start it.
	r.sh("useradd -m -s /bin/bash erlend; echo erlend:Harbour-lamp-4187 | chpasswd; chmod 0750 /usr/bin/su; " +
		"sed -i 's/^# auth       required   pam_wheel.so$/auth required pam_wheel.so/' /etc/pam.d/su; grep -q " +
		"'^auth required pam_wheel' /etc/pam.d/su")
	s.publish("base", strictRules, 500, "everything")
	s.enrols(r)
	s.comesTo(name, "in_step")

	for _, c := range []struct{ what, sabotage, undo, finding string }{
		{"a service that checks no quality", "sed -i 's/^@include common-password/password required pam_unix.so/' " +
			"/etc/pam.d/passwd",
			"sed -i 's/^password required pam_unix.so/@include common-password/' /etc/pam.d/passwd",
			"wrong_value  pam.d/passwd does not call pam_pwquality.so"},
		{"a module that is enough before wrong passwords are counted",
			"sed -i '1i auth sufficient pam_unix.so' /etc/pam.d/common-auth", "sed -i 1d /etc/pam.d/common-auth",
			"wrong_value  pam.d/common-auth line 1: pam_unix.so is enough, and stands above pam_faillock.so"},
		{"a service that counts nothing", "sed -i 's/^@include common-auth/auth required pam_unix.so/' " +
			"/etc/pam.d/login",
			"sed -i 's/^auth required pam_unix.so/@include common-auth/' /etc/pam.d/login",
			"wrong_value  pam.d/login does not call pam_faillock.so"},
		{"a module that is gone", "mv $(echo /usr/lib/*/security/pam_faillock.so) /root/",
			"mv /root/pam_faillock.so $(dirname $(echo /usr/lib/*/security/pam_unix.so))", "sign_in_broken"},
	} {
		r.sh(c.sabotage)
		s.until(func() bool { return slices.Contains(s.openOn(name), c.finding) })
		assert.Equal(t, "drifted", s.why(name).Device.Standing, c.what)
		r.sh(c.undo)
		s.comesTo(name, "in_step")
	}

	// What makes the file of settings count for nothing is met with a profile of the agent's own.
	r.sh("printf 'enforcing = 0\\ndcredit = 2\\nucredit = 2\\nlcredit = 2\\nocredit = 2\\n' >> " +
		"/etc/security/pwquality.conf")
	s.until(func() bool {
		return strings.Contains(r.sh("cat /etc/pam.d/common-password"), "pam_pwquality.so retry=3 minlen=14")
	})
	s.comesTo(name, "in_step")
	assert.ErrorIs(t, r.Change(t.Context(), "erlend", "Harbour-lamp-4187", "Xq7-pier-41k"), hands.ErrRefused)
	require.NoError(t, r.Change(t.Context(), "erlend", "Harbour-lamp-4187", "Tide-table-73065"))
	s.until(func() bool { // a trial leaves nothing
		return r.sh("ls /run | grep rankwarden-pam || true; grep rankwarden-trial /etc/passwd /etc/shadow /etc/group "+
			"/etc/security/opasswd || true") == ""
	})
}

// The guard does not count an account that would not let anybody work.
func TestTheGuardTriesTheDoor(t *testing.T) {
	beside(t)
	s := startQuick(t)
	const name = "SKL-INF-915"
	r := realWorkstation(t, name)
	two := strings.Replace(onlyMooring, "  - {key: mooring, name: mooring}", "  - {key: mooring, name: mooring}\n"+
		"  - {key: spare, name: spare}", 1)
	two = strings.Replace(two, "rotation: [{target: account:mooring, every: 10d}]", "rotation: [{target: "+
		"account:mooring, "+
		"every: 10d}, {target: account:spare, every: 10d}]", 1)
	s.publish("base", strings.Replace(two, "[account:mooring]}", "[account:mooring, "+
		"account:spare]}", 1), 500, "everything")
	s.enrols(r)
	s.comesTo(name, "in_step")
	require.Equal(t, "mooring,spare", members(r, "sudo"))

	for _, c := range []struct{ closed, open, why string }{
		{"usermod -s /usr/sbin/nologin mooring", "usermod -s /bin/bash mooring", "nologin"},
		{"sed -i 's/^%sudo/#%sudo/' /etc/sudoers", "sed -i 's/^#%sudo/%sudo/' /etc/sudoers", "sudo"},
	} {
		r.sh(c.closed)
		s.saves("base", two)
		s.until(func() bool {
			for _, f := range s.why(name).Units {
				for _, x := range f.Findings {
					if strings.Contains(x.Words, "would leave no usable "+
						"administrator") && strings.Contains(x.Words, c.why) {
						return true
					}
				}
			}
			return false
		})
		assert.Equal(t, "mooring,spare", members(r, "sudo"), c.closed)
		r.sh(c.open)
		s.saves("base", strings.Replace(two, "[account:mooring]}", "[account:mooring, account:spare]}", 1))
		s.comesTo(name, "in_step")
	}
	s.saves("base", two)
	s.until(func() bool { return members(r, "sudo") == "mooring" })
}

// saves publishes another text of a policy.
func (s *service) saves(policy, text string) {
	s.t.Helper()
	p, err := s.owner.Policy(s.t.Context(), policy)
	require.NoError(s.t, err)
	p, err = s.owner.SavePolicy(s.t.Context(), policy, document(policy, text), p.Version)
	require.NoError(s.t, err)
	_, err = s.owner.PublishPolicy(s.t.Context(), policy, p.Version)
	require.NoError(s.t, err)
	s.settled()
}
