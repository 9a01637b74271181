package drift_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/present"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// What is effective is found by what makes it so: members by other ways than a group, rules that come to something
// else, a group without effect, accounts of one number, and signing in that does not work.
func TestWhatIsEffective(t *testing.T) {
	keeper, dave, root := principal.MustSID("S-1-22-1-1000"), principal.MustSID("S-1-22-1-1001"),
		principal.MustSID("S-1-22-1-0")
	state := drift.State{
		Accounts: []drift.Account{
			{Name: "root", SID: root, Builtin: "administrator"},
			{Name: "mooring", SID: keeper, Key: "mooring", Enabled: true, SharedWith: []string{"twin"}},
			{Name: "dave", SID: dave, Enabled: true},
		},
		LocalGroups: []drift.LocalGroup{{LocalGroup: "sudo", SID: drift.WellKnown(unit.GroupAdministrators),
			NoEffect: "no line of /etc/sudoers lets %sudo become root", Members: []drift.Member{
				{Name: "mooring", SID: keeper},
				{Name: "root", SID: root, Via: "the number 0"},
				{Name: "dave", SID: dave, Via: "sudoers.d/dave"},
				{Name: "everybody", SID: principal.MustSID("S-1-22-0-7"), Via: "sudoers"},
			}}},
		Lockout:     &unit.LockoutRule{},
		SignInFault: "login lets nobody in",
		Causes:      map[unit.ID]string{unit.Lockout: "pam.d/su does not call pam_faillock.so"},
	}
	settings := []unit.Setting{
		{Unit: unit.AccountOf("mooring"),
			Value: unit.AccountValue{Key: "mooring", Name: "mooring", State: unit.Enabled}},
		{Unit: unit.Lockout, Value: unit.LockoutValue{Threshold: 3, DurationMinutes: 10, WindowMinutes: 10}},
		{Unit: unit.Administrators, Value: unit.Members{Closed: true,
			Present: []principal.Ref{principal.MustParse("account:mooring")}}},
	}
	failures := []drift.Failure{
		{Unit: unit.Administrators, Principal: "local:dave", Error: "the first reason"},
		{Unit: unit.Administrators, Principal: "local:dave", Error: "the second"},
	}
	said := map[string]int{}
	for _, f := range drift.Check(settings, &state, failures, drift.Context{}) {
		said[string(f.Kind)+": "+present.Finding(f)]++
	}
	assert.Equal(t, map[string]int{
		"apply_failed: the device could not change dave: the first reason":                                     1,
		"group_no_effect: its members have none of its rights: no line of /etc/sudoers lets %sudo become root": 1,
		"member_extra: dave has its rights by sudoers.d/dave, but is not in the exact list":                    1,
		"member_extra: everybody has its rights by sudoers, but is not in the exact list":                      1,
		"number_shared: twin has the same number as mooring; the system takes them for one account, so that nothing " +
			"of it is changed": 1,
		"sign_in_broken: signing in does not work as it should: login lets nobody in": 1,
		"wrong_value: never locks instead of after 3 wrong attempts within 10 min, locked for 10 min, because of " +
			"pam.d/su does not call pam_faillock.so": 1,
	}, said)
	assert.Contains(t, present.Has(unit.Administrators, nil, &state, nil), "dave (by sudoers.d/dave)")
}
