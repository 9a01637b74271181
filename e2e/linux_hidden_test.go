package e2e

import (
	"context"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

// onlyMooring is a policy with one administrator.
const onlyMooring = `accounts:
  - {key: mooring, name: mooring}
rotation: [{target: account:mooring, every: 10d}]
membership:
  - {local_group: administrators, mode: exact, members: [account:mooring]}
`

// openOn are the open findings of a device: kind, subject and by what.
func (s *service) openOn(name string) (list []string) {
	s.t.Helper()
	s.settled()
	found, err := s.owner.Findings(s.t.Context(), client.FindingQuery{Device: name}, client.Page{Limit: 100})
	require.NoError(s.t, err)
	for _, f := range found.Items {
		list = append(list, strings.TrimSpace(f.Kind+" "+f.Subject+" "+f.Via))
	}
	slices.Sort(list)
	return list
}

// Whoever can become root is found, in whatever way; what can be taken away safely is.
func TestHiddenAdministratorsAreFound(t *testing.T) {
	beside(t)
	s := startQuick(t)
	const name = "SKL-INF-911"
	r := realWorkstation(t, name)
	s.publish("one-administrator", onlyMooring, 500, "everything")
	s.enrols(r)
	s.comesTo(name, "in_step")
	assert.Equal(t, "mooring", members(r, "sudo"), "root is not put into a group")

	// What the device takes away by itself.
	r.sh(`for u in listed first second keeper manager; do useradd -m -s /bin/bash $u; done
		useradd -u 500 -g sudo -m -s /bin/bash lowly; useradd -u 70001 -g sudo -m -s /bin/bash highly
		gpasswd -a listed sudo; usermod -g sudo first
		groupadd -o -g 27 crew; gpasswd -a second crew
		groupadd admin; gpasswd -a keeper admin; echo '%admin ALL=(ALL) ALL' > /etc/sudoers.d/admin
		gpasswd -A manager sudo
		sed -i 's|^sudo:[^:]*:|sudo:$6$abc$def:|' /etc/gshadow`)
	s.until(func() bool {
		return members(r, "sudo") == "mooring" && members(r, "admin") == "" &&
			r.sh("for u in first lowly highly; do id -gn $u; done") ==
				"first\nlowly\nhighly" &&
			r.sh("grep -c ^crew: /etc/group || true") == "0" &&
			r.sh("grep ^sudo: /etc/gshadow") == "sudo:::mooring"
	})
	s.comesTo(name, "in_step")
	s.until(func() bool {
		return slices.ContainsFunc(s.events(client.EventQuery{Kind: "member_removed"}), func(e api.Event) bool {
			return strings.Contains(e.Words, "highly")
		})
	})

	// What it does not: that is told, by the right name.
	r.sh(`for u in dave erlend; do useradd -m -s /bin/bash $u; done; useradd -o -u 0 -g 0 -m -s /bin/bash twin
		echo 'dave ALL=(ALL) NOPASSWD: ALL' > /etc/sudoers.d/dave
		printf 'User_Alias CREW = erlend\nCREW ALL = /usr/bin/vi\n' > /etc/sudoers.d/crew`)
	s.until(func() bool { return len(s.openOn(name)) >= 3 })
	var extra []string
	for _, f := range s.openOn(name) {
		if strings.HasPrefix(f, "member_extra") {
			extra = append(extra, f)
		}
	}
	assert.Equal(t, []string{"member_extra local:dave sudoers.d/dave", "member_extra local:erlend sudoers.d/crew",
		"member_extra local:twin the number 0"}, extra)
	assert.Equal(t, "drifted", s.why(name).Device.Standing)
	who := s.rankwarden("device", "administrators", name)
	for _, said := range []string{"dave", "sudoers.d/dave", "twin", "the number 0"} {
		assert.Contains(t, who, said)
	}
	r.sh("rm /etc/sudoers.d/dave /etc/sudoers.d/crew; sed -i /^twin:/d /etc/passwd /etc/shadow")
	s.comesTo(name, "in_step")

	// The group is gone, or without effect.
	r.sh("sed -i 's/^%sudo/#%sudo/' /etc/sudoers")
	s.until(func() bool { return slices.Contains(s.openOn(name), "group_no_effect") })
	r.sh("sed -i 's/^#%sudo/%sudo/' /etc/sudoers; cp /etc/group /tmp/group; sed -i /^sudo:/d /etc/group")
	s.until(func() bool { return slices.Contains(s.openOn(name), "group_missing") })
	r.sh("cp /tmp/group /etc/group")
	s.comesTo(name, "in_step")
}

// Two accounts of one number are one to the system: none of them is renamed or rotated, and that is told.
func TestATwinIsNoManagedAccount(t *testing.T) {
	beside(t)
	s := startQuick(t)
	const name = "SKL-INF-912"
	r := realWorkstation(t, name)
	s.publish("one-administrator", onlyMooring, 500, "everything")
	s.enrols(r)
	s.comesTo(name, "in_step")
	before := s.current(name)

	r.sh("useradd -o -u $(id -u mooring) -m -s /bin/bash twin; gpasswd -a twin sudo; " +
		"{ grep ^twin: /etc/passwd; grep -v ^twin: /etc/passwd; } > /tmp/p; cp /tmp/p /etc/passwd") // it comes first
	s.until(func() bool {
		return slices.Contains(s.openOn(name), "number_shared local:twin") ||
			slices.Contains(s.openOn(name), "number_shared local:mooring")
	})
	s.order("rotate", "account:mooring", name)
	s.until(func() bool {
		return slices.ContainsFunc(s.openOn(name), func(f string) bool { return strings.HasPrefix(f, "apply_failed") })
	})
	assert.Equal(t, "mooring\ntwin", r.sh("awk -F: '$3 == '$(id -u mooring)' {print $1}' /etc/passwd | sort"))
	assert.Equal(t, before, s.current(name))
	r.sh("sed -i /^twin:/d /etc/passwd /etc/shadow; gpasswd -d twin sudo")
	s.comesTo(name, "in_step")
	require.NoError(t, r.SignIn(context.Background(), "mooring", s.current(name)))
}
