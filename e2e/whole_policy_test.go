package e2e

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/principal"
)

const wholePolicy = `
accounts:
  - {key: mooring, name: mooring-####, formerly: [mooring], full_name: Mooring, local_groups: [administrators]}
  - {key: old, name: setup, state: absent}
rotation: [{target: account:mooring}]
membership: [{local_group: administrators, mode: exact}, {local_group: users, mode: adjust, remove: [local:mechanic]}]
builtins: {administrator: {name: quay-zero, enabled: false}, guest: {name: quay-visitor, description: Nobody}}
passwords: {min_length: 12, complexity: true}
lockout: {threshold: 5}
`

// Every unit of the format goes from the policy to the device and back.
func TestEveryUnitIsCarriedOut(t *testing.T) {
	s := start(t)
	s.publish("base", wholePolicy, 500, "everything")
	d := s.device("SKL-TKT-001", s.enrolmentToken(1))
	mooring := d.Find("mooring")
	d.AddAccount("setup")
	require.NoError(t, d.Join("users", "setup"))
	d.AddAccount("mechanic")
	require.NoError(t, d.Join("users", "mechanic"))
	require.NoError(t, d.Cycle(t.Context()))
	s.cycle(d, "SKL-TKT-001")
	w := s.why("SKL-TKT-001")
	assert.Equal(t, "in_step", w.Device.Standing)
	for _, u := range w.Units {
		assert.Empty(t, u.Findings, u.Unit)
		assert.True(t, u.InStep, u.Unit)
	}
	assert.Len(t, w.Units, 12)
	assert.Zero(t, d.Find("setup"))
	assert.Zero(t, d.Find("Administrator"))
	require.Equal(t, "mooring", w.Accounts[2].Key)
	assert.Regexp(t, `^mooring-\d{4}$`, w.Accounts[2].Name)
	assert.Equal(t, mooring, d.Find(w.Accounts[2].Name), "it kept its identity")
	assert.Empty(t, w.Problems)

	// What people do to it is seen and put right.
	name := w.Accounts[2].Name
	require.NoError(t, d.RenameAccount(t.Context(), mooring, "the-boss"))
	require.NoError(t, d.EnableAccount(t.Context(), d.Find("quay-zero"), true))
	require.NoError(t, d.Cycle(t.Context()))
	right, err := s.owner.Findings(t.Context(), client.FindingQuery{State: "corrected"}, client.Page{})
	require.NoError(t, err)
	var words []string
	for _, f := range right.Items {
		words = append(words, f.Words)
	}
	assert.Contains(t, words, "name the-boss instead of mooring-####")
	assert.Contains(t, words, "enabled instead of disabled")
	assert.Zero(t, d.Find("the-boss"))
	assert.Zero(t, d.Find(name), "digits are drawn anew")
	require.NoError(t, d.DeleteAccount(t.Context(), mooring))
	require.NoError(t, d.Cycle(t.Context()))
	assert.Equal(t, "in_step", standing(s, "SKL-TKT-001"))
	now := principal.MustSID(s.why("SKL-TKT-001").Accounts[2].SID)
	assert.NotEqual(t, mooring, now, "made again, under another identifier")
}

// A unit that the device puts right again and again is repeatedly reverted: it holds back, and says so.
func TestRepeatedlyReverted(t *testing.T) {
	s := start(t)
	s.publish("base", mooringOnly, 500, "everything")
	d := s.enrolled("SKL-WKS-001")
	d.AddAccount("mechanic")
	require.NoError(t, d.SetPassword(t.Context(), d.Find("mechanic"), "Tide-table-7306"))
	require.NoError(t, d.EnableAccount(t.Context(), d.Find("mechanic"), true))
	require.NoError(t, d.SignIn("mechanic", "Tide-table-7306"))
	interfere := func() api.UnitWhy {
		require.NoError(t, d.Join("administrators", "mechanic"))
		require.NoError(t, d.Cycle(t.Context()))
		return unitWhy(s, "SKL-WKS-001", "membership.administrators")
	}
	for range 2 {
		u := interfere()
		assert.False(t, u.RepeatedlyReverted)
		assert.True(t, u.InStep)
	}
	assert.True(t, interfere().RepeatedlyReverted, "the third time within a day")
	for range 3 {
		assert.True(t, interfere().InStep, "who is an administrator is corrected at every look, however often")
	}
	assert.Equal(t, "in_step", standing(s, "SKL-WKS-001"))
	told, err := query[int](t, s.config.Database,
		"select count(*)::int from notifications where kind = 'contested_by_somebody'")
	require.NoError(t, err)
	assert.Equal(t, 1, told)
	words, err := query[string](t, s.config.Database,
		"select words from notifications where kind = 'contested_by_somebody'")
	require.NoError(t, err)
	assert.Contains(t, words, "signed in: mechanic")
	removed := s.events(client.EventQuery{Device: "SKL-WKS-001", Kind: "member_removed"})
	assert.Len(t, removed, 4, "three, and the first of those that are summed up by the hour")
	assert.Equal(t, []string{"membership.administrators"}, s.why("SKL-WKS-001").Device.RepeatedlyReverted)
	o, err := s.owner.Overview(t.Context())
	require.NoError(t, err)
	require.Len(t, o.Decisions, 1)
	assert.Contains(t, o.Decisions[0].Detail, "Find out what changes it back")
	happened, err := s.owner.SettingHistory(t.Context(), "SKL-WKS-001", "administrators")
	require.NoError(t, err)
	counts := map[string]int{}
	for i, h := range happened {
		counts[h.What]++
		if i > 0 {
			assert.False(t, h.At.After(happened[i-1].At), "the latest is first")
		}
		assert.NotContains(t, h.Words, "mooring was renamed", "what concerns another setting is left out")
	}
	assert.Equal(t, 6, counts["corrected"], "put right each time")
	assert.GreaterOrEqual(t, counts["event"], 5, "as the member was removed, and that it is repeatedly reverted")
	other, err := s.owner.SettingHistory(t.Context(), "SKL-WKS-001", "lockout")
	require.NoError(t, err)
	assert.Empty(t, other)
	_, err = s.owner.SettingHistory(t.Context(), "SKL-WKS-001", "no such setting")
	assert.ErrorContains(t, err, "no such setting")

	s.wake(d, "") // what it remembers lasts
	s.clock.forward(61 * 60 * 1e9)
	require.Error(t, d.Cycle(t.Context()), "its clock is off now; it takes the service's time")
	require.NoError(t, d.Cycle(t.Context()))
	assert.True(t, unitWhy(s, "SKL-WKS-001", "membership.administrators").InStep, "it tries again after the hour")
	s.clock.forward(24 * 3600 * 1e9)
	require.Error(t, d.Cycle(t.Context()))
	require.NoError(t, d.Cycle(t.Context()))
	w, err := query[string](t, s.config.Database, "select repeatedly_reverted::text from devices")
	require.NoError(t, err)
	assert.Equal(t, "[]", w, "a day of peace ends it")
}
