package reconcile_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/journal"
	"rankwarden.example/internal/agent/reconcile"
	"rankwarden.example/internal/wire/protocol"
)

var (
	mechanic = principal.MustSID("S-1-5-21-7-8-9-1001")
	users    = unit.MembershipOf("remote-desktop-users")
)

// stateWith is a device with a lockout and members of the remote desktop users.
func stateWith(threshold int, members ...principal.SID) drift.State {
	group := drift.LocalGroup{LocalGroup: "remote-desktop-users", SID: drift.WellKnown("remote-desktop-users")}
	for _, m := range members {
		group.Members = append(group.Members, drift.Member{SID: m})
	}
	return drift.State{
		Accounts:    []drift.Account{{Name: "mechanic", SID: mechanic}},
		LocalGroups: []drift.LocalGroup{group},
		Lockout:     &unit.LockoutRule{Threshold: threshold, DurationMinutes: 15, WindowMinutes: 15},
	}
}

// What a pass took away is remembered, and given back where the device is as it was left and nothing in force says
// otherwise.
func TestWhatWasTakenIsGivenBack(t *testing.T) {
	asked := []unit.Setting{
		{Unit: unit.Lockout, Value: unit.LockoutValue{Threshold: 5, DurationMinutes: 15, WindowMinutes: 15}},
		{Unit: users, Value: unit.Members{Closed: true}},
	}
	taken := reconcile.Outcome{Before: stateWith(50, mechanic), After: stateWith(5)}.
		Taken(reconcile.Job{DesiredContent: protocol.DesiredContent{Settings: asked}})
	began := time.Date(2031, 3, 4, 6, 0, 0, 0, time.UTC)
	j := &journal.Journal{}
	j.Remember(began.Add(time.Minute), taken)
	due := func(since time.Time) []protocol.GiveBack {
		return []protocol.GiveBack{{Since: since, Units: []unit.ID{unit.Lockout, users}}}
	}
	lockoutBack := unit.Setting{
		Unit: unit.Lockout, Value: unit.LockoutValue{Threshold: 50, DurationMinutes: 15, WindowMinutes: 15},
	}
	memberBack := unit.Setting{Unit: users, Value: unit.Members{Present: []principal.Ref{principal.FromSID(mechanic)}}}
	for name, c := range map[string]struct {
		since    time.Time
		asked    []unit.Setting
		state    drift.State
		settings []unit.Setting
		refused  []string
	}{
		"as it was left":   {began, nil, stateWith(5), []unit.Setting{lockoutBack, memberBack}, nil},
		"taken by another": {began.Add(time.Hour), nil, stateWith(5), nil, nil},
		"altered since": {began, nil, stateWith(9), []unit.Setting{memberBack},
			[]string{"it was altered since"}},
		"is back already": {began, nil, stateWith(50, mechanic), nil, nil},
		"asked for by a policy": {began, asked, stateWith(5), nil,
			[]string{"a policy in force asks for something else"}},
		"kept out by a policy": {
			began, []unit.Setting{{Unit: users,
				Value: unit.Members{Absent: []principal.Ref{principal.FromLocal("mechanic")}}}},
			stateWith(5), []unit.Setting{lockoutBack}, []string{"a policy in force asks for something else"},
		},
		"others are added by a policy": {
			began, []unit.Setting{{Unit: users,
				Value: unit.Members{Present: []principal.Ref{principal.Administrator}}}},
			stateWith(5), []unit.Setting{lockoutBack, memberBack}, nil,
		},
	} {
		back := reconcile.Return(due(c.since), c.asked, &c.state, j)
		assert.Equal(t, c.settings, back.Settings, name)
		var refused []string
		for _, e := range back.Refused {
			assert.Equal(t, drift.NotGivenBack, e.Kind)
			refused = append(refused, e.Error)
		}
		assert.Equal(t, c.refused, refused, name)
	}
}

// A give-back is carried out once, and forgotten when it is not asked for any more.
func TestAGiveBackIsCarriedOutOnce(t *testing.T) {
	since := time.Date(2031, 3, 4, 6, 0, 0, 0, time.UTC)
	j := &journal.Journal{
		Asked: protocol.DesiredContent{GiveBack: []protocol.GiveBack{{Since: since}, {Since: since.Add(time.Hour)}}},
	}
	assert.Len(t, j.Due(), 2)
	j.Gave(j.Due()[:1])
	assert.Equal(t, []protocol.GiveBack{{Since: since.Add(time.Hour)}}, j.Due())
	j.Asked.GiveBack = j.Asked.GiveBack[1:]
	j.Gave(j.Due())
	assert.Equal(t, []time.Time{since.Add(time.Hour)}, j.GaveBack)
	assert.Empty(t, j.Due())
}

// What an account was before it was taken over is given back, but for its password.
func TestAnAccountThatWasTakenOverIsGivenBack(t *testing.T) {
	keeper := unit.AccountOf("keeper")
	before, after := stateWith(5), stateWith(5)
	before.Accounts[0].Enabled, before.Accounts[0].FullName = true, "Mechanic"
	after.Accounts[0].Name, after.Accounts[0].FullName, after.Accounts[0].Key = "keeper-1234", "Keeper", "keeper"
	job := reconcile.Job{DesiredContent: protocol.DesiredContent{Settings: []unit.Setting{{Unit: keeper}}}}
	bindings := reconcile.Bindings{"keeper": mechanic}
	taken := reconcile.Outcome{Before: before, After: after, Bindings: bindings}.Taken(job)
	began := time.Date(2031, 3, 4, 6, 0, 0, 0, time.UTC)
	j := &journal.Journal{Bindings: bindings}
	j.Remember(began.Add(time.Minute), taken)
	due := []protocol.GiveBack{{Since: began, Units: []unit.ID{keeper}}}
	back := reconcile.Return(due, nil, &after, j)
	assert.Empty(t, back.Refused)
	assert.Equal(t, []unit.Setting{{Unit: keeper, Value: unit.AccountValue{Key: "keeper", Name: "mechanic",
		Formerly: []string{}, State: unit.Enabled, Details: unit.Details{FullName: "Mechanic"}, KeepPassword: true}}},
		back.Settings)

	job.Bindings = bindings
	assert.Empty(t, reconcile.Outcome{Before: before, After: after, Bindings: bindings}.Taken(job),
		"one that was managed before was not taken over")
}
