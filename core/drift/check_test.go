package drift_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/core/warrant"
)

const machine = "S-1-5-21-7-8-9-"

// device is a workstation with four accounts, whose administrators are the built-in one, keeper and
// somebody from a directory. Its groups have the names of another language.
func device() *drift.State {
	account := func(name string, id int, builtin string) drift.Account {
		return drift.Account{
			Name:    name,
			SID:     principal.MustSID(fmt.Sprint(machine, id)),
			Builtin: builtin,
			Enabled: id > 1000,
		}
	}
	bound := account("Yard-07", 1003, "")
	bound.Key = "yard"
	member := func(sid string) drift.Member { return drift.Member{SID: principal.MustSID(sid)} }
	return &drift.State{
		Accounts: []drift.Account{
			account("Hausherr", 500, "administrator"),
			account("Gast", 501, "guest"),
			account("Keeper", 1001, ""),
			account("mechanic", 1002, ""),
			bound,
		},
		Rotation: []drift.Rotation{
			{Target: principal.FromKey("yard"), RotatedAt: now.Add(-5 * time.Hour)},
			{Target: principal.FromKey("yard"), RotatedAt: now.Add(-90 * time.Minute)},
		},
		LocalGroups: []drift.LocalGroup{
			{
				LocalGroup: "Administratoren",
				SID:        drift.WellKnown("administrators"),
				Members: []drift.Member{
					member(machine + "500"),
					member(machine + "1001"),
					member("S-1-5-21-1-2-3-77"),
				},
			},
			{
				LocalGroup: "Cranes",
				SID:        principal.MustSID(machine + "1100"),
				Members:    []drift.Member{member(machine + "1002")},
			},
		},
		Passwords: &drift.Passwords{MinLength: new(12), Complexity: new(true)},
		Lockout:   &unit.LockoutRule{Threshold: 5, DurationMinutes: 15, WindowMinutes: 15},
	}
}

func refs(words string) []principal.Ref {
	list := []principal.Ref{}
	for _, w := range strings.Fields(words) {
		list = append(list, principal.MustParse(w))
	}
	return list
}

func group(name string, closed bool, present, absent string) unit.Setting {
	return unit.Setting{
		Unit:  unit.MembershipOf(name),
		Value: unit.Members{Closed: closed, Present: refs(present), Absent: refs(absent)},
	}
}

func lockout(threshold, duration, window int) unit.Setting {
	return unit.Setting{
		Unit:  unit.Lockout,
		Value: unit.LockoutValue{Threshold: threshold, DurationMinutes: duration, WindowMinutes: window},
	}
}

func setting(of string, value unit.Value) unit.Setting {
	id, err := unit.Parse(of)
	if err != nil {
		panic(err)
	}
	return unit.Setting{Unit: id, Value: value}
}

func account(key, name string, state unit.State) unit.Setting {
	return setting("accounts."+key, unit.AccountValue{Name: name, State: state})
}

func rotation(target string, minutes int) unit.Setting {
	return setting("rotation."+target, unit.RotationValue{EveryMinutes: minutes})
}

var (
	now       = time.Date(2031, 3, 4, 6, 0, 0, 0, time.UTC)
	directory = principal.NewTable([]principal.Entry{
		{Ref: principal.MustParse("group:Desks@skerryline.example"), SID: principal.MustSID("S-1-5-21-1-2-3-77")},
	})
)

func TestCheck(t *testing.T) {
	for name, c := range map[string]struct {
		asked unit.Setting
		want  string
	}{
		"as asked":      {unit.Setting{Unit: unit.MinLength, Value: unit.Int(12)}, ""},
		"another value": {unit.Setting{Unit: unit.MinLength, Value: unit.Int(14)}, "wrong_value  14 12"},
		"another switch": {unit.Setting{Unit: unit.Complexity, Value: unit.Bool(false)},
			"wrong_value  false true"},
		"not reported":     {unit.Setting{Unit: unit.History, Value: unit.Int(24)}, "wrong_value  24 null"},
		"lockout as asked": {lockout(5, 15, 15), ""},
		"another window": {lockout(5, 15, 14),
			`wrong_value  {"threshold":5,"duration_minutes":15,"window_minutes":14} {"threshold":5,"duration_minutes":15,"window_minutes":15}`},
		"should never lock": {lockout(0, 0, 0),
			`wrong_value  {"threshold":0} {"threshold":5,"duration_minutes":15,"window_minutes":15}`},
		"members as asked": {group("administrators", true,
			"builtin:administrator local:keeper sid:S-1-5-21-1-2-3-77", ""), ""},
		"found by its identifier": {group("administrators", true,
			"sid:"+machine+"500 local:KEEPER sid:S-1-5-21-1-2-3-77", ""), ""},
		"members nobody asked for": {group("administrators", true, "local:mechanic", ""),
			`member_extra builtin:administrator "not a member" "member"; member_extra group:desks@skerryline.example "not a member" "member"; member_extra local:keeper "not a member" "member"; member_missing local:mechanic "member" "not a member"`},
		"member that is nobody": {group("administrators", false, "local:ghost", ""),
			`member_missing local:ghost "member" "no such account"`},
		"open group, must not be": {group("administrators", false, "", "local:keeper local:ghost builtin:guest"),
			`member_forbidden local:keeper "not a member" "member"`},
		"group of another language": {group("cranes", true, "local:mechanic", ""), ""},
		"people of the directory": {group("administrators", true,
			"builtin:administrator local:keeper group:desks@skerryline.example", ""), ""},
		"nobody the directory knows": {group("administrators", false, "user:ghost@skerryline.example", ""),
			`member_missing user:ghost@skerryline.example "member" "unknown to the directory"`},
		"bound account is missing": {group("cranes", true, "account:yard local:mechanic", ""),
			`member_missing account:yard "member" "not a member"`},
		"extra has the best name": {group("administrators", true, "builtin:administrator local:keeper", ""),
			`member_extra group:desks@skerryline.example "not a member" "member"`},
		"name of a built-in": {setting("builtins.administrator.name", unit.Text("HAUSHERR")), ""},
		"another name": {setting("builtins.guest.name", unit.Text("visitor")),
			`wrong_value  "visitor" "Gast"`},
		"built-in is enabled":    {setting("builtins.guest.enabled", unit.Bool(true)), "wrong_value  true false"},
		"bound account as asked": {account("yard", "yard-##", unit.Enabled), ""},
		"bound account, other name": {account("yard", "dock-##", unit.Disabled),
			`account_name  "dock-##" "Yard-07"; account_state  "disabled" "enabled"`},
		"found by a name that fits": {account("spare", "MECHANI#", unit.Enabled), `account_missing  "MECHANI#" null`},
		"account that is not bound": {account("spare", "MECHANIC", unit.Enabled), ""},
		"account that is to go": {account("spare", "mechanic", unit.Absent),
			`account_present  "absent" "mechanic"`},
		"account that is gone": {account("ghost", "ghost", unit.Absent), ""},
		"never rotated":        {rotation("account:spare", 60), "rotation_never  null null"},
		"rotated just in time": {rotation("account:yard", 90), ""},
		"rotated too long ago": {rotation("account:yard", 89), `rotation_overdue  89 "2031-03-04T04:30:00Z"`},
		"no such group":        {group("users", true, "local:keeper", ""), "group_missing  null null"},
	} {
		t.Run(name, func(t *testing.T) {
			assert.Equal(t, c.want, written(
				drift.Check([]unit.Setting{c.asked}, device(), nil, drift.Context{Directory: directory, Now: now}),
			))
		})
	}
}

func written(findings []drift.Finding) string {
	var lines []string
	for _, f := range findings {
		expected, _ := json.Marshal(f.Expected)
		actual, _ := json.Marshal(f.Actual)
		lines = append(lines, fmt.Sprintf("%s %s %s %s", f.Kind, f.Subject, expected, actual))
	}
	return strings.Join(lines, "; ")
}

func TestFailuresAndUnsupported(t *testing.T) {
	state := device()
	failures := []drift.Failure{
		{Unit: unit.MinLength, Error: "access denied"},
		{Unit: unit.History, Error: "of no rule"},
	}
	asked := []unit.Setting{{Unit: unit.MinLength, Value: unit.Int(14)}}
	assert.Equal(
		t,
		`apply_failed  null "access denied"; wrong_value  14 12`,
		written(drift.Check(asked, state, failures, drift.Context{})),
	)
	state.Unsupported = []unit.ID{unit.MinLength}
	assert.Equal(
		t,
		"unit_unsupported  null null",
		written(drift.Check(asked, state, failures, drift.Context{})),
		"its only finding",
	)
}

func TestWhatWasFoundBefore(t *testing.T) {
	report := drift.Report{
		State: *device(),
		Found: &drift.State{Lockout: &unit.LockoutRule{Threshold: 50, DurationMinutes: 1, WindowMinutes: 1}},
	}
	before, looked := report.Before()
	require.True(t, looked)
	assert.Equal(t, 50, before.Lockout.Threshold)
	assert.Equal(t, report.Accounts, before.Accounts, "parts that are not given are as now")
	report.Found = nil
	_, looked = report.Before()
	assert.False(t, looked)
}

func TestStand(t *testing.T) {
	stamp := func(epoch, number int64) drift.Stamp { return drift.Stamp{Epoch: epoch, Number: number} }
	fine := drift.StandingInput{LastContact: now, Desired: stamp(1, 4), Reported: stamp(1, 4)}
	for want, change := range map[drift.Standing]func(h *drift.StandingInput){
		drift.InStep:  func(h *drift.StandingInput) { h.LastContact = now.Add(-3 * time.Minute) },
		drift.Drifted: func(h *drift.StandingInput) { h.OpenFindings = 1 },
		drift.Waiting: func(h *drift.StandingInput) { h.OpenFindings, h.Desired = 1, stamp(2, 1) },
		drift.Silent: func(h *drift.StandingInput) {
			h.Desired, h.LastContact = stamp(1, 5),
				now.Add(-3*time.Minute-1)
		},
		drift.Held: func(h *drift.StandingInput) { h.HeldUnits, h.LastContact = 1, time.Time{} },
	} {
		h := fine
		change(&h)
		assert.Equal(t, want, drift.Stand(h, now, time.Minute))
	}
}

// What a device says it could not carry out is known before it is asked, and is no difference.
func TestLimitsOfADevice(t *testing.T) {
	state := &drift.State{
		Passwords: &drift.Passwords{MinLength: new(8)},
		Limits: []drift.Limit{
			{Setting: unit.MinLength, ReadOnly: true, Why: "lacks a module"},
			{Family: unit.Membership, Why: "has no local groups"},
		},
	}
	length := func(n int) unit.Setting { return unit.Setting{Unit: unit.MinLength, Value: unit.Int(n)} }
	group := unit.Setting{Unit: unit.Administrators, Value: unit.Members{}}
	history := unit.Setting{Unit: unit.History, Value: unit.Int(3)}
	assert.Equal(t, []unit.ID{unit.Administrators}, state.Unable([]unit.Setting{group, length(8), history}),
		"it can read what is so")
	assert.Equal(t, []unit.ID{unit.MinLength}, state.Unable([]unit.Setting{length(9)}))
	state.Unsupported = []unit.ID{unit.Administrators}
	assert.Equal(t, []unit.ID{unit.Administrators}, state.Unable([]unit.Setting{group}))
	found := drift.Check([]unit.Setting{group}, state, nil, drift.Context{})
	require.Len(t, found, 1)
	assert.Equal(t, drift.UnitUnsupported, found[0].Kind)
	assert.Equal(t, "has no local groups", found[0].Actual)

	shorter := &drift.State{Limits: []drift.Limit{{Setting: unit.MinLength, Most: new(14), Why: "takes at most 14"}}}
	assert.Empty(t, shorter.Unable([]unit.Setting{length(14)}))
	assert.Equal(t, []unit.ID{unit.MinLength}, shorter.Unable([]unit.Setting{length(15)}))
	part, whole := shorter.Limits[0].Within(unit.Int(15))
	assert.Equal(t, []any{unit.Int(14), false}, []any{part, whole}, "as far as it goes")

	written, err := json.Marshal(state.Limits)
	require.NoError(t, err)
	assert.JSONEq(t, `[{"unit":"passwords.min_length","read_only":true,"why":"lacks a module"},{"family":"membership","why":"has no local groups"}]`, string(written))
	var read []drift.Limit
	require.NoError(t, json.Unmarshal(written, &read))
	assert.Equal(t, state.Limits, read)
}

// An account that a policy once managed and none does any more is told, with what it can still do.
func TestAccountsLeftBehind(t *testing.T) {
	sid := principal.MustSID("S-1-5-21-1-2-3-1004")
	bound := drift.Account{Name: "keeper-1", SID: sid, Key: "keeper", Enabled: true}
	disabled := bound
	disabled.Enabled = false
	in := func(group, sid string) []drift.LocalGroup {
		members := []drift.Member{{Name: "keeper-1", SID: bound.SID}}
		return []drift.LocalGroup{{LocalGroup: group, SID: principal.MustSID(sid), Members: members}}
	}
	administrators := in("administrators", "S-1-5-32-544")
	for name, x := range map[string]struct {
		account drift.Account
		groups  []drift.LocalGroup
		managed bool
		is      string // empty for no finding
		drifts  bool
	}{
		"still managed":             {account: bound, managed: true},
		"bound to no key":           {account: drift.Account{Name: "counter", SID: bound.SID, Enabled: true}},
		"enabled":                   {account: bound, is: drift.LeftEnabled},
		"enabled, in a plain group": {account: bound, groups: in("users", "S-1-5-32-545"), is: drift.LeftEnabled},
		"an administrator": {
			account: bound, groups: administrators, is: drift.LeftPrivileged, drifts: true,
		},
		"an administrator in another language": {
			account: bound, groups: in("Administratoren", "S-1-5-32-544"), is: drift.LeftPrivileged, drifts: true,
		},
		"a disabled administrator": {
			account: disabled, groups: administrators, is: drift.LeftDisabled,
		},
	} {
		t.Run(name, func(t *testing.T) {
			state := &drift.State{Accounts: []drift.Account{x.account}, LocalGroups: x.groups}
			found := drift.LeftBehind(state, func(id unit.ID) bool {
				assert.Equal(t, unit.AccountOf("keeper"), id)
				return x.managed
			})
			if x.is == "" {
				assert.Empty(t, found)
				return
			}
			require.Len(t, found, 1)
			assert.Equal(t, []any{drift.AccountLeftBehind, "keeper-1", x.is, x.drifts, false},
				[]any{found[0].Kind, found[0].Subject, found[0].Actual, found[0].Drifts(), found[0].Kind.Differs()})
		})
	}
	taken := drift.NameTaken("SKL-WKS-001", "SKL-WKS-002")
	assert.False(t, taken.Drifts(), "no setting of it differs")
}

// A member by a warrant that is over is found once its device has had time to hear of it, unless a setting asks for the
// member, or has a finding of its own.
func TestOutlived(t *testing.T) {
	clerk := principal.MustSID("S-1-5-21-7-8-9-1004")
	state := &drift.State{Accounts: []drift.Account{{Name: "clerk", SID: clerk}}, LocalGroups: []drift.LocalGroup{
		{LocalGroup: "administrators", SID: drift.WellKnown("administrators"), Members: []drift.Member{{SID: clerk}}}}}
	ref := principal.MustParse("local:clerk")
	over := time.Date(2031, 3, 4, 8, 0, 0, 0, time.UTC)
	ended := []warrant.Warrant{{Unit: unit.Administrators, Principal: ref, Until: over},
		{Unit: unit.Administrators, Principal: ref, Until: over},
		{Unit: unit.Administrators, Principal: principal.MustParse("local:ghost"), Until: over}}
	asked := func(m unit.Members) []unit.Setting {
		return []unit.Setting{{Unit: unit.Administrators, Value: m}}
	}
	for name, c := range map[string]struct {
		settings []unit.Setting
		after    time.Duration
		found    int
	}{
		"nobody asks":          {nil, 2 * time.Minute, 1},
		"it may be on its way": {nil, 119 * time.Second, 0},
		"a policy asks for it": {asked(unit.Members{Present: []principal.Ref{ref}}), time.Hour, 0},
		"others are asked for": {asked(unit.Members{Present: []principal.Ref{}}), time.Hour, 1},
		"an exact list":        {asked(unit.Members{Closed: true}), time.Hour, 0},
		"it is forbidden":      {asked(unit.Members{Absent: []principal.Ref{ref}}), time.Hour, 0},
	} {
		found := drift.Outlived(state, c.settings, ended, drift.Context{Now: over.Add(c.after), Grace: time.Minute})
		if assert.Len(t, found, c.found, name) && c.found > 0 {
			assert.Equal(t, "local:clerk", found[0].Subject)
			assert.True(t, found[0].Drifts())
		}
	}
}
