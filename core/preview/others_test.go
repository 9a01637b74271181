package preview_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/effect"
	"rankwarden.example/core/present"
	"rankwarden.example/core/preview"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/unit"
)

// lane is what is settled of some settings.
func lane(settings ...unit.Setting) (l resolve.Lane) {
	for _, s := range settings {
		l.Units = append(l.Units,
			resolve.Unit{Unit: s.Unit, Value: s.Value, Verdict: resolve.Sole, From: []string{"a"}})
	}
	return l
}

// told are the effects of a change on a device, in words, and how its ways in change.
func told(state *drift.State, before, after resolve.Lane) (words, access []string) {
	difference := preview.Differ(before, after, nil)
	_, effects := difference.Compare(preview.Device{State: state}, nil)
	for _, e := range effects {
		words = append(words, present.Effect(e))
	}
	difference.Access(state, nil, func(e effect.AccessEffect) {
		access = append(access, fmt.Sprint(e.Access, " ", e.Subject))
	})
	return words, access
}

// Accounts that nobody names are disabled by the rule, but for what something runs as; one that is managed no more
// becomes one of them.
func TestOtherAccountsAreForetold(t *testing.T) {
	ids := map[string]principal.SID{}
	for i, name := range []string{"setup", "support", "tide", "off", "keeper-1"} {
		ids[name] = principal.MustSID(fmt.Sprintf("S-1-5-21-7-8-9-%d", 1003+i))
	}
	state := &drift.State{
		Accounts: []drift.Account{
			{Name: "Administrator", SID: principal.MustSID("S-1-5-21-7-8-9-500"), Builtin: "administrator",
				Enabled: true},
			{Name: "setup", SID: ids["setup"], Enabled: true}, {Name: "support", SID: ids["support"], Enabled: true},
			{Name: "tide", SID: ids["tide"], Enabled: true}, {Name: "off", SID: ids["off"]},
			{Name: "keeper-1", SID: ids["keeper-1"], Key: "keeper", Enabled: true},
		},
		LocalGroups: []drift.LocalGroup{{LocalGroup: "administrators", SID: drift.WellKnown("administrators"),
			Members: []drift.Member{{SID: ids["setup"]}}}},
		Uses: []drift.Use{{SID: ids["tide"], Runs: []string{"service tide-sync"}}},
	}
	keeper := unit.Setting{Unit: unit.AccountOf("keeper"),
		Value: unit.AccountValue{Name: "keeper-#", State: unit.Enabled, Formerly: []string{}}}
	rule := unit.Setting{Unit: unit.Others,
		Value: unit.OthersValue{State: unit.Disabled, GraceMinutes: 1440, Allow: []string{}}}
	words, access := told(state, lane(keeper), lane(keeper, rule))
	assert.Equal(t, []string{
		"setup, which no policy names, is disabled when its grace is over",
		"support, which no policy names, is disabled when its grace is over",
	}, words)
	assert.Equal(t, []string{"way_in_closed local:setup"}, access)

	words, _ = told(state, lane(keeper, rule), lane(rule))
	assert.Equal(t, []string{"managed keeper is no longer managed, and stays",
		"keeper-1, which no policy names, is disabled when its grace is over"}, words)
	words, _ = told(state, lane(keeper, rule), lane(keeper))
	assert.Empty(t, words)
}

// A local group is foretold that is created, with who joins it, and one that goes.
func TestGroupsThatAreMadeAreForetold(t *testing.T) {
	sid := principal.MustSID("S-1-5-21-7-8-9-1003")
	state := &drift.State{Accounts: []drift.Account{{Name: "rigger", SID: sid, Enabled: true}}}
	crew := unit.Setting{Unit: unit.MembershipOf("crew"), Value: unit.Members{Create: true,
		Present: []principal.Ref{principal.MustParse("local:rigger")}, Absent: []principal.Ref{}}}
	words, _ := told(state, lane(), lane(crew))
	assert.Equal(t, []string{"the local group crew is created", "rigger joins crew"}, words)

	state.LocalGroups = []drift.LocalGroup{
		{LocalGroup: "crew", SID: principal.MustSID("S-1-5-21-7-8-9-1009"), Made: true}}
	crew.Value = unit.Members{Create: true, Present: []principal.Ref{}, Absent: []principal.Ref{}}
	words, _ = told(state, lane(crew), lane())
	assert.Equal(t, []string{"the local group crew, which is empty, is removed"}, words)
	state.LocalGroups[0].Members = []drift.Member{{SID: sid}}
	words, _ = told(state, lane(crew), lane())
	assert.Empty(t, words, "somebody is in it")
}

// A detail that the platform has not is no effect.
func TestDetailsBeyondAPlatform(t *testing.T) {
	state := &drift.State{
		Accounts: []drift.Account{{Name: "desk", Key: "desk", SID: principal.MustSID("S-1-22-1-1003"), Enabled: true}},
		Limits:   []drift.Limit{{Family: unit.Accounts, Detail: unit.DetailPasswordFixed, Why: "cannot"}},
	}
	desk := func(d unit.Details) unit.Setting {
		return unit.Setting{Unit: unit.AccountOf("desk"), Value: unit.AccountValue{Name: "desk", State: unit.Enabled,
			Formerly: []string{}, Details: d}}
	}
	words, _ := told(state, lane(desk(unit.Details{})),
		lane(desk(unit.Details{PasswordFixed: true, ExpiresOn: "2027-03-31"})))
	assert.Equal(t, []string{`managed desk changes: expires on empty → "2027-03-31"`}, words)
}
