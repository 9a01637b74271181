package drift_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// others are settings that name two accounts, and ask that all others are disabled.
func others(allow ...string) []unit.Setting {
	return []unit.Setting{
		{Unit: unit.AccountOf("desk"),
			Value: unit.AccountValue{Key: "desk", Name: "mooring-##", Formerly: []string{"old-hand"}}},
		{Unit: unit.Others, Value: unit.OthersValue{State: unit.Disabled, GraceMinutes: 14 * 24 * 60, Allow: allow}},
		{Unit: unit.Administrators, Value: unit.Members{
			Present: []principal.Ref{principal.MustParse("local:rigger")},
			Absent:  []principal.Ref{principal.MustParse("local:eilif")},
		}},
	}
}

func TestWhoNobodyNamed(t *testing.T) {
	for name, c := range map[string]struct {
		account drift.Account
		nobody  bool
	}{
		"a plain one":              {drift.Account{Name: "support"}, true},
		"the managed one":          {drift.Account{Name: "anything", Key: "desk"}, false},
		"one that it would become": {drift.Account{Name: "Mooring-07"}, false},
		"one of a former name":     {drift.Account{Name: "old-hand"}, false},
		"one that was left behind": {drift.Account{Name: "mooring-07", Key: "gone"}, true},
		"built in":                 {drift.Account{Name: "Chef", Builtin: "administrator"}, false},
		"of the system": {
			drift.Account{Name: "rest", SID: principal.MustSID("S-1-5-21-1-2-3-503")}, false},
		"asked to be a member":      {drift.Account{Name: "Rigger"}, false},
		"asked not to be one":       {drift.Account{Name: "eilif"}, true},
		"allowed by its name":       {drift.Account{Name: "svc-tide"}, false},
		"allowed by its identifier": {drift.Account{Name: "kim", SID: principal.MustSID("S-1-22-1-30001")}, false},
		"with an identifier beside it": {
			drift.Account{Name: "kim", SID: principal.MustSID("S-1-22-1-29999")}, true},
	} {
		if c.account.SID.IsZero() {
			c.account.SID = principal.MustSID("S-1-5-21-1-2-3-1004")
		}
		nobody := drift.NamedByNobody(others("svc-*", "id:30000-39999"))
		assert.Equal(t, c.nobody, nobody.Has(&c.account), name)
	}
	assert.Nil(t, drift.NamedByNobody(others()[:1]), "nothing is asked of others")
}

// While the grace lasts it is only told; then it differs, as does one that is spared.
func TestAccountsThatNobodyNamed(t *testing.T) {
	now := time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC)
	sid := principal.MustSID("S-1-5-21-1-2-3-1004")
	for name, c := range map[string]struct {
		disabled bool
		use      *drift.Use
		kind     drift.Kind // empty for none
		actual   any
		drifts   bool
	}{
		"disabled":        {disabled: true},
		"not counted yet": {kind: drift.AccountCounted},
		"within its grace": {use: &drift.Use{Counted: new(now.AddDate(0, 0, -13))}, kind: drift.AccountCounted,
			actual: "2026-12-01T12:00:00Z"},
		"its grace is over": {use: &drift.Use{Counted: new(now.AddDate(0, 0, -14))}, kind: drift.AccountUnnamed,
			actual: unit.Enabled, drifts: true},
		"something runs as it": {
			use:  &drift.Use{Counted: new(now.AddDate(0, 0, -15)), Runs: []string{"service tide-sync"}},
			kind: drift.AccountUnnamed, actual: []string{"service tide-sync"}, drifts: true},
	} {
		t.Run(name, func(t *testing.T) {
			state := &drift.State{Accounts: []drift.Account{{Name: "support", SID: sid, Enabled: !c.disabled}}}
			if c.use != nil {
				c.use.SID = sid
				state.Uses = []drift.Use{*c.use}
			}
			found := drift.Check(others()[1:2], state, nil, drift.Context{Now: now})
			if c.kind == "" {
				assert.Empty(t, found)
				return
			}
			assert.Equal(t, []drift.Finding{{Unit: unit.Others, Kind: c.kind, Subject: "local:support",
				Expected: unit.Disabled, Actual: c.actual, Member: sid}}, found)
			assert.Equal(t, c.drifts, found[0].Drifts())
		})
	}
}

// From its day on an account that expires is to be what the system makes of it.
func TestAccountsExpire(t *testing.T) {
	sid := principal.MustSID("S-1-5-21-1-2-3-1004")
	desired := []unit.Setting{{Unit: unit.AccountOf("desk"), Value: unit.AccountValue{Name: "desk", State: unit.Enabled,
		Details: unit.Details{ExpiresOn: "2027-03-31"}}}}
	kinds := func(now string, a drift.Account, limits ...drift.Limit) (kinds []drift.Kind) {
		at, err := time.Parse(time.DateOnly, now)
		assert.NoError(t, err)
		a.Name, a.SID, a.Key = "desk", sid, "desk"
		state := &drift.State{Accounts: []drift.Account{a}, Limits: limits}
		for _, f := range drift.Check(desired, state, nil, drift.Context{Now: at}) {
			kinds = append(kinds, f.Kind)
		}
		return kinds
	}
	set := drift.Account{Enabled: true, Details: unit.Details{ExpiresOn: "2027-03-31"}}
	assert.Empty(t, kinds("2027-03-30", set))
	assert.Empty(t, kinds("2027-03-31", drift.Account{}))
	assert.Equal(t, []drift.Kind{drift.AccountDetail}, kinds("2027-03-30", drift.Account{Enabled: true}))
	assert.Equal(t, []drift.Kind{drift.AccountState}, kinds("2027-03-31", drift.Account{Enabled: true}))
	assert.Equal(t, []drift.Kind{drift.UnitUnsupported},
		kinds("2027-03-30", drift.Account{Enabled: true}, drift.Limit{Detail: unit.DetailExpiresOn, Why: "cannot"}))
}
