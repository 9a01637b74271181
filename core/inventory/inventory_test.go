package inventory_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/inventory"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

const machine = "S-1-5-21-7-8-9-"

func sid(t *testing.T, text string) principal.SID {
	t.Helper()
	s, err := principal.ParseSID(text)
	require.NoError(t, err)
	return s
}

// state is a device written in words: accounts such as "keeper=1001", "-counter=1002" for a disabled one and
// "quay-zero=500!" for the built-in administrator; groups such as "administrators: 1001 500".
func state(t *testing.T, accounts string, groups ...string) drift.State {
	t.Helper()
	var s drift.State
	for word := range strings.FieldsSeq(accounts) {
		name, rid, _ := strings.Cut(word, "=")
		number, builtin := strings.CutSuffix(rid, "!")
		a := drift.Account{Name: strings.TrimPrefix(name, "-"), SID: sid(t, machine+number), Enabled: name[0] != '-'}
		if builtin {
			a.Builtin = "administrator"
		}
		s.Accounts = append(s.Accounts, a)
	}
	for i, text := range groups {
		name, members, _ := strings.Cut(text, ": ")
		g := drift.LocalGroup{LocalGroup: name, SID: drift.WellKnown(name)}
		if g.SID.IsZero() {
			g.SID = sid(t, fmt.Sprintf("%s%d", machine, 5000+i))
		}
		for rid := range strings.FieldsSeq(members) {
			g.Members = append(g.Members, drift.Member{Name: "n" + rid, SID: sid(t, machine+rid)})
		}
		s.LocalGroups = append(s.LocalGroups, g)
	}
	return s
}

func TestWhoIsPrivileged(t *testing.T) {
	x := inventory.Of(state(t, "keeper=1001 -counter=1002 quay-zero=500! helper=1003",
		"administrators: 1001 500 1001", "users: 1002", "docker: 1003"))
	privileged := map[string]bool{}
	for _, a := range x.Accounts {
		privileged[a.Name] = a.Privileged
	}
	assert.Equal(t, map[string]bool{"keeper": true, "counter": false, "quay-zero": true, "helper": true}, privileged)
	assert.Len(t, x.Members, 4, "a member that a group says twice counts once")
}

// A device may give one identifier twice: a second name of the same number, a second group of the same number. Each is
// a row by its identifiers, so it counts once.
func TestIdentifiersThatStandTwice(t *testing.T) {
	twins := state(t, "root=0 twin=0 keeper=1001", "users: 1001", "administrators: 1001")
	twins.LocalGroups[1].SID = twins.LocalGroups[0].SID
	x := inventory.Of(twins)
	require.Len(t, x.Accounts, 2)
	require.Len(t, x.Members, 1)
	assert.True(t, x.Members[0].Privileged)
	for _, a := range x.Accounts {
		assert.NotEqual(t, "twin", a.Name)
		assert.Equal(t, a.Name == "keeper", a.Privileged, "by either group: %s", a.Name)
	}
}

func TestChanges(t *testing.T) {
	for name, c := range map[string]struct {
		before, after drift.State
		want          []string
	}{
		"nothing": {state(t, "keeper=1001"), state(t, "keeper=1001"), nil},
		"an account comes and one goes": {state(t, "keeper=1001"), state(t, "counter=1002"),
			[]string{"account_came counter", "account_went keeper"}},
		"it keeps its identifier": {state(t, "keeper=1001"), state(t, "keeper-7=1001"),
			[]string{"account_renamed keeper-7 from keeper"}},
		"renamed and disabled": {state(t, "keeper=1001"), state(t, "-stray=1001"),
			[]string{"account_renamed stray from keeper", "account_disabled stray"}},
		"enabled": {state(t, "-keeper=1001"), state(t, "keeper=1001"), []string{"account_enabled keeper"}},
		"members": {state(t, "", "administrators: 1001"), state(t, "", "administrators: 1002"),
			[]string{"member_joined n1002 of administrators!", "member_left n1001 of administrators!"}},
		"a group that is gone": {state(t, "", "users: 1001"), state(t, ""), []string{"member_left n1001 of users"}},
	} {
		var got []string
		for _, x := range inventory.Compare(inventory.Of(c.before), inventory.Of(c.after)) {
			words := fmt.Sprint(x.Kind, " ", x.Name)
			if x.Former != "" {
				words += " from " + x.Former
			}
			if x.Group != "" {
				words += " of " + x.Group
			}
			if x.Privileged {
				words += "!"
			}
			got = append(got, words)
		}
		assert.Equal(t, c.want, got, name)
	}
}

// Whatever order a device tells things in, its inventory is the same; a password that was set is another one.
func TestOrders(t *testing.T) {
	one := inventory.Of(state(t, "keeper=1001 counter=1002", "administrators: 1001 1002"))
	two := inventory.Of(state(t, "counter=1002 keeper=1001", "administrators: 1002 1001"))
	assert.Equal(t, one, two)
	other := state(t, "keeper=1001 counter=1002", "administrators: 1001 1002")
	other.Accounts[0].PasswordSetAt = time.Date(2031, 3, 4, 6, 0, 0, 0, time.UTC)
	assert.NotEqual(t, one, inventory.Of(other))
	assert.Empty(t, inventory.Compare(one, inventory.Of(other)))
}

// Beyond the bounds things are only counted, and whoever can take the device over is among those that are kept.
func TestBounds(t *testing.T) {
	var s drift.State
	for i := range inventory.MaxAccounts + 5 {
		id := sid(t, fmt.Sprint(machine, 2000+i))
		s.Accounts = append(s.Accounts, drift.Account{Name: fmt.Sprint("a", i), SID: id})
	}
	last := s.Accounts[len(s.Accounts)-1]
	users := drift.LocalGroup{LocalGroup: "users", SID: sid(t, "S-1-5-32-545")}
	for i := range inventory.MaxMembers + 3 {
		users.Members = append(users.Members, drift.Member{SID: sid(t, fmt.Sprint(machine, 2000+i))})
	}
	admins := drift.LocalGroup{LocalGroup: unit.GroupAdministrators, SID: sid(t, "S-1-5-32-544"),
		Members: []drift.Member{{SID: last.SID}}}
	s.LocalGroups = []drift.LocalGroup{users, admins}
	x := inventory.Of(s)
	assert.Len(t, x.Accounts, inventory.MaxAccounts)
	assert.Equal(t, 5, x.MoreAccounts)
	assert.Equal(t, 4, x.MoreMembers)
	kept := map[principal.SID]bool{}
	for _, a := range x.Accounts {
		kept[a.SID] = a.Privileged
	}
	assert.True(t, kept[last.SID])
	assert.True(t, slices.ContainsFunc(x.Members, func(m inventory.Member) bool { return m.Privileged }))
}

func TestUseAndSudoers(t *testing.T) {
	st := state(t, "keeper=1001 tide=1002 quay-zero=500!", "administrators: 500")
	at := time.Date(2031, 3, 4, 17, 30, 0, 0, time.UTC)
	st.Uses = []drift.Use{{SID: sid(t, machine+"1002"), LastSignIn: &at, Runs: []string{"service tide-sync"}}}
	st.Sudo = []drift.Sudo{
		{Name: "tide", SID: sid(t, machine+"1002"), Via: "a", Commands: []string{"/bin/ls"}},
		{Name: "tide", SID: sid(t, machine+"1002"), Via: "b", Commands: []string{"ALL"}, Root: true},
		{Name: "gone", Via: "c", Commands: []string{"ALL"}, Root: true},
	}
	x := inventory.Of(st)
	tide := x.Accounts[slices.IndexFunc(x.Accounts, func(a inventory.Account) bool { return a.Name == "tide" })]
	assert.True(t, tide.Privileged)
	assert.Equal(t, at.Truncate(24*time.Hour), tide.LastSignIn, "known by the day")
	assert.Equal(t, []string{"service tide-sync"}, tide.Runs)
	var via []string
	for _, m := range x.Members {
		if m.Group == inventory.SudoersGroup {
			via = append(via, m.Via)
			assert.True(t, m.Privileged)
		}
	}
	assert.Equal(t, []string{"a: /bin/ls; b: ALL"}, via, "once each, and whom nobody is stays out")
	assert.Equal(t, inventory.UnknownPrivileged, x.Unknown())
	assert.Equal(t, inventory.UnknownSome, inventory.Of(state(t, "tide=1002 quay-zero=500!")).Unknown())
	assert.Empty(t, inventory.Of(state(t, "quay-zero=500!")).Unknown())
}

func TestAReportIsBounded(t *testing.T) {
	var st drift.State
	for i := range inventory.MaxAccounts + 7 {
		of := sid(t, fmt.Sprint(machine, 1000+i))
		st.Accounts = append(st.Accounts, drift.Account{Name: fmt.Sprint("a", i), SID: of})
	}
	st.Accounts[inventory.MaxAccounts+5].Key = "keeper"
	crowd := drift.LocalGroup{LocalGroup: "users", SID: sid(t, "S-1-5-32-545")}
	for i := range inventory.MaxMembers {
		crowd.Members = append(crowd.Members, drift.Member{SID: sid(t, fmt.Sprint(machine, 1000+i))})
	}
	few := drift.LocalGroup{LocalGroup: "administrators", SID: sid(t, "S-1-5-32-544"),
		Members: []drift.Member{{SID: sid(t, machine+"500")}}}
	st.LocalGroups = []drift.LocalGroup{crowd, few}
	inventory.Bound(&st)
	assert.Len(t, st.Accounts, inventory.MaxAccounts)
	assert.Equal(t, 7, st.MoreAccounts)
	assert.Equal(t, "keeper", st.Accounts[0].Key, "what a policy manages stays")
	assert.Equal(t, 1, st.MoreMembers)
	assert.Len(t, st.LocalGroups[1].Members, 1, "privileged groups stay whole")
	x := inventory.Of(st)
	assert.Equal(t, 7, x.MoreAccounts)
	assert.Equal(t, 1, x.MoreMembers)
}
