package words_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/words"
)

func refs(list ...string) []principal.Ref {
	out := []principal.Ref{}
	for _, s := range list {
		out = append(out, principal.MustParse(s))
	}
	return out
}

func TestValuesInWords(t *testing.T) {
	for want, c := range map[string]struct {
		unit  resolve.UnitID
		value resolve.Value
	}{
		"1 character":             {resolve.MinLength, resolve.Int(1)},
		"24 remembered":           {resolve.History, resolve.Int(24)},
		"never expires":           {resolve.MaxAgeDays, resolve.Int(0)},
		"expires after 1 day":     {resolve.MaxAgeDays, resolve.Int(1)},
		"may change at once":      {resolve.MinAgeDays, resolve.Int(0)},
		"may change after 3 days": {resolve.MinAgeDays, resolve.Int(3)},
		"any characters":          {resolve.Complexity, resolve.Bool(false)},
		"never locks":             {resolve.Lockout, resolve.LockoutValue{}},
		"after 1 wrong attempt within 2 hours, locked until someone unlocks": {resolve.Lockout, resolve.LockoutValue{Threshold: 1, WindowMinutes: 120}},
		"after 5 wrong attempts within 1 day, locked for 90 min":             {resolve.Lockout, resolve.LockoutValue{Threshold: 5, DurationMinutes: 90, WindowMinutes: 1440}},
		"nobody":                                 {resolve.Administrators, resolve.Members{Closed: true}},
		"only 2: built-in administrator, keeper": {resolve.Administrators, resolve.Members{Closed: true, Present: refs("builtin:administrator", "local:keeper")}},
		"at least keeper; not guests":            {resolve.Administrators, resolve.Members{Present: refs("local:keeper"), Absent: refs("local:guests")}},
		"not S-1-5-32-546":                       {resolve.Administrators, resolve.Statement{Mode: policy.Adjust, Remove: refs("sid:S-1-5-32-546")}},
		"only 1: keeper":                         {resolve.Administrators, resolve.Statement{Mode: policy.Exact, Members: refs("local:keeper")}},
		"nothing":                                {resolve.Administrators, nil},
		"disabled":                               {resolve.BuiltinOf(principal.Guest, resolve.BuiltinEnabled), resolve.Bool(false)},
		"quay-zero":                              {resolve.BuiltinOf(principal.Guest, resolve.BuiltinName), resolve.Text("quay-zero")},
		"empty":                                  {resolve.BuiltinOf(principal.Guest, resolve.BuiltinFullName), resolve.Text("")},
		"keeper-##, absent":                      {resolve.AccountOf("k"), resolve.AccountValue{Name: "keeper-##", State: policy.Absent}},
		`keeper-##, enabled, called "Keeper", "Break glass", formerly admin or chief, password expires`: {resolve.AccountOf("k"), resolve.AccountValue{
			Name: "keeper-##", State: policy.Enabled, FullName: "Keeper", Description: "Break glass", Formerly: []string{"admin", "chief"}, PasswordExpires: true}},
		"every 30 days, 4 hours after a sign-in, ending its sessions, 1 hour after it was shown, with a new name; 6 words (78 bits)": {resolve.RotationOf(principal.Administrator), resolve.RotationValue{
			EveryMinutes: 43200, AfterUse: policy.AfterUse{WaitMinutes: 240, Then: policy.EndSessions}, AfterRevealMinutes: new(60), RedrawName: true, Secret: policy.Secret{Style: policy.Words, Words: 6}}},
		"every 2 hours, 15 min after a sign-in; 12 characters of digits, lower (62 bits)": {resolve.RotationOf(principal.Administrator), resolve.RotationValue{
			EveryMinutes: 120, AfterUse: policy.AfterUse{WaitMinutes: 15, Then: policy.Nothing}, Secret: policy.Secret{Style: policy.Characters, Length: 12, Use: []string{"digits", "lower"}}}},
	} {
		assert.Equal(t, want, words.Value(c.unit, c.value))
	}
}

func TestWhyInWords(t *testing.T) {
	lost := func(name string, why resolve.Why) resolve.Lost {
		return resolve.Lost{Assignment: name, Rank: 500, Why: why}
	}
	for want, u := range map[string]resolve.Unit{
		"base, alone":                                  {Verdict: resolve.Sole, From: []string{"base"}},
		"a and b agree":                                {Verdict: resolve.Agreed, From: []string{"a"}, Over: []resolve.Lost{lost("b", resolve.Same)}},
		"3 assignments agree":                          {Verdict: resolve.Agreed, From: []string{"a", "b"}, Over: []resolve.Lost{lost("c", resolve.Same)}},
		"desks outranks base":                          {Verdict: resolve.Ranked, From: []string{"desks"}, Over: []resolve.Lost{lost("base", resolve.Outranked)}},
		"a, stricter than b at equal rank":             {Verdict: resolve.Stricter, From: []string{"a"}, Over: []resolve.Lost{lost("b", resolve.LessStrict)}},
		"a, stricter than b at equal rank; outranks c": {Verdict: resolve.Stricter, From: []string{"a"}, Over: []resolve.Lost{lost("b", resolve.LessStrict), lost("c", resolve.Outranked)}},
		"a and b differ at equal rank":                 {Verdict: resolve.Contested, Over: []resolve.Lost{lost("a", resolve.Disputed), lost("b", resolve.Disputed), lost("c", resolve.Closed)}},
		"a closes the group; 1 set aside":              {Verdict: resolve.Merged, Value: resolve.Members{Closed: true}, From: []string{"a"}, Over: []resolve.Lost{lost("b", resolve.Closed)}},
		"a and b close the group together":             {Verdict: resolve.Merged, Value: resolve.Members{Closed: true}, From: []string{"a", "b"}},
		"a and b, put together":                        {Verdict: resolve.Merged, Value: resolve.Members{}, From: []string{"a", "b"}},
	} {
		assert.Equal(t, want, words.Why(u))
	}
	assert.Equal(t, "set aside, the group is closed", words.Lost(lost("b", resolve.Closed)))
	assert.Contains(t, words.Held(resolve.Held{Why: "no_admin_path"}), "add an enabled account with a rotation")
}

func TestFindingsInWords(t *testing.T) {
	for want, f := range map[string]drift.Finding{
		"8 characters instead of 12 characters":                                                     {Unit: resolve.MinLength, Kind: drift.WrongValue, Expected: resolve.Int(12), Actual: resolve.Int(8)},
		"not reported":                                                                              {Unit: resolve.MinLength, Kind: drift.WrongValue, Expected: resolve.Int(12)},
		"mechanic is a member, and nobody asked for it":                                             {Kind: drift.MemberExtra, Subject: "local:mechanic"},
		"built-in guest is a member, and must not be":                                               {Kind: drift.MemberForbidden, Subject: "builtin:guest"},
		"keeper should be a member":                                                                 {Kind: drift.MemberMissing, Subject: "local:keeper", Actual: drift.IsNotMember},
		"keeper should be a member, and does not exist on the device":                               {Kind: drift.MemberMissing, Subject: "local:keeper", Actual: drift.NoSuchAccount},
		"desks should be a member, and the directory does not know it":                              {Kind: drift.MemberMissing, Subject: "local:desks", Actual: drift.NotKnown},
		"there is no account keeper-##":                                                             {Kind: drift.AccountMissing, Expected: "keeper-##"},
		"old-hand is there, and should be gone":                                                     {Kind: drift.AccountPresent, Actual: "old-hand"},
		"disabled instead of enabled":                                                               {Kind: drift.AccountState, Expected: "enabled", Actual: "disabled"},
		"called boss instead of keeper-##":                                                          {Kind: drift.AccountName, Expected: "keeper-##", Actual: "boss"},
		`full name is empty instead of "Keeper"`:                                                    {Kind: drift.AccountDetail, Subject: "full_name", Expected: "Keeper", Actual: ""},
		"password expires is on instead of off":                                                     {Kind: drift.AccountDetail, Subject: "password_expires", Expected: false, Actual: true},
		"its password was never changed by Rank Warden, so nobody has it":                           {Kind: drift.RotationNever},
		"somebody else changed the password, so that the one in escrow no longer opens the account": {Kind: drift.ChangedElsewhere},
		"last changed 2031-01-01T00:00:00Z, which is too long ago":                                  {Kind: drift.RotationOverdue, Actual: "2031-01-01T00:00:00Z"},
		"never locks instead of after 3 wrong attempts within 15 min, locked for 15 min":            {Kind: drift.WrongValue, Expected: resolve.LockoutValue{Threshold: 3, DurationMinutes: 15, WindowMinutes: 15}, Actual: policy.LockoutRule{DurationMinutes: 30}},
		"the local group does not exist on the device":                                              {Kind: drift.GroupMissing},
		"this device cannot carry it":                                                               {Kind: drift.UnitUnsupported},
		"the device could not change it: access denied":                                             {Kind: drift.ApplyFailed, Actual: "access denied"},
		"the device could not change keeper: access denied":                                         {Kind: drift.ApplyFailed, Subject: "local:keeper", Actual: "access denied"},
	} {
		assert.Equal(t, want, words.Finding(f))
	}
}

// Every problem is explained, and says what to do.
func TestProblemsInWords(t *testing.T) {
	for want, p := range map[string]resolve.Problem{
		"newer: whether this assignment applies": {Code: resolve.UndecidedScope, Unit: "newer"},
		"managed keeper is to be a member, but":  {Code: resolve.MemberUndeclared, Unit: "membership.users", Detail: "account:keeper"},
		"accounts.a and accounts.b: two":         {Code: resolve.NameClash, Unit: "accounts.a+accounts.b"},
	} {
		assert.True(t, strings.HasPrefix(words.Problem(p), want), words.Problem(p))
		assert.Contains(t, words.Problem(p), "; ")
	}
	for _, code := range resolve.Codes {
		said := words.Problem(resolve.Problem{Code: code, Unit: "lockout"})
		wrong, out, both := strings.Cut(said, "; ")
		assert.True(t, both && len(wrong) > 10 && len(out) > 10, "%s: %q", code, said)
		assert.NotContains(t, said, string(code), "a code is no sentence")
		assert.NotEqual(t, string(code), words.Held(resolve.Held{Why: string(code)}))
	}
	assert.Equal(t, "assignments of equal rank ask for different things; change the rank of one", words.Held(resolve.Held{Why: "contested"}))
}

func TestHasInWords(t *testing.T) {
	state := drift.State{LocalGroups: []drift.LocalGroup{{LocalGroup: "users", SID: drift.WellKnown("users")}}, Passwords: &drift.Passwords{History: new(3)}}
	assert.Equal(t, "nobody", words.Has(resolve.MembershipOf("users"), nil, &state, nil))
	assert.Equal(t, "no such local group", words.Has(resolve.Administrators, nil, &state, nil))
	assert.Equal(t, "3 remembered", words.Has(resolve.History, nil, &state, nil))
	state.Accounts = []drift.Account{{Name: "Boss", Builtin: "administrator", Enabled: true}, {Name: "keeper-07", Enabled: true, Locked: true, FullName: "Keeper"}}
	assert.Equal(t, `keeper-07, enabled, called "Keeper", locked`, words.Has(resolve.AccountOf("k"), resolve.AccountValue{Name: "keeper-##"}, &state, nil))
	assert.Equal(t, "no such account", words.Has(resolve.AccountOf("k"), nil, &state, nil))
	assert.Equal(t, "Boss", words.Has(resolve.BuiltinOf(principal.Administrator, resolve.BuiltinName), nil, &state, nil))
	assert.Equal(t, "never changed by Rank Warden", words.Has(resolve.RotationOf(principal.Administrator), nil, &state, nil))
	assert.Equal(t, "not reported", words.Has(resolve.MinLength, nil, &state, nil))
	assert.Equal(t, "not reported", words.Has(resolve.Lockout, nil, &state, nil))
}

func TestOrderOfUnits(t *testing.T) {
	units := []resolve.UnitID{resolve.Complexity, resolve.MinLength, resolve.MembershipOf("users"), resolve.BuiltinOf(principal.Guest, "name"), resolve.RotationOf(principal.Administrator), resolve.AccountOf("k"), resolve.Lockout, resolve.Administrators}
	slices.SortFunc(units, words.Compare)
	assert.Equal(t, []resolve.UnitID{resolve.Administrators, resolve.MembershipOf("users"), resolve.AccountOf("k"), resolve.RotationOf(principal.Administrator), resolve.BuiltinOf(principal.Guest, "name"), resolve.Lockout, resolve.MinLength, resolve.Complexity}, units)
	assert.Equal(t, "remote desktop users", words.Unit(resolve.MembershipOf("remote-desktop-users")))
	assert.Equal(t, "Password rules", words.Section(resolve.History))
}

func TestAPolicyInWords(t *testing.T) {
	doc, problems := policy.Parse([]byte("format: rankwarden.policy/1\nname: p\nlockout: {threshold: 0}\nrotation: [{target: builtin:administrator, secret: {style: words, words: 8}}]\nmembership: [{local_group: administrators, mode: exact}]"), nil)
	require.Len(t, problems, 1)
	assert.Equal(t, policy.CodeEmptyExact, problems[0].Code)
	assert.Equal(t, []words.Line{
		{Unit: "membership.administrators", Section: "Local groups", Title: "administrators", Words: "only 1: built-in administrator"},
		{Unit: "rotation.builtin:administrator", Section: "Rotation", Title: "built-in administrator", Words: "every 30 days, 4 hours after a sign-in, ending its sessions; 8 words (103 bits)"},
		{Unit: "lockout", Section: "Lockout", Title: "lockout", Words: "never locks"},
	}, words.Policy(resolve.Claims(doc.Normalise(nil))))
}

// Every kind of event is said in words.
func TestEventsInWords(t *testing.T) {
	for _, kind := range drift.EventKinds {
		said := words.Event(drift.Event{Kind: kind, Unit: resolve.Administrators, Subject: "local:mechanic", Before: "a", After: "b"})
		assert.NotEqual(t, string(kind), said)
		assert.NotContains(t, said, "local:")
	}
	assert.Equal(t, "built-in guest, name: b instead of a", words.Event(drift.Event{Kind: drift.ValueSet, Unit: resolve.BuiltinOf(principal.Guest, "name"), Before: "a", After: "b"}))
}

// A setting is found as it is written and as it is shown; a misspelt one is named with the nearest.
func TestSettingsAreFoundAsShown(t *testing.T) {
	for written, want := range map[string]resolve.UnitID{
		"administrators": resolve.Administrators, "Administrators": resolve.Administrators, "membership.administrators": resolve.Administrators,
		"remote desktop users": resolve.MembershipOf("remote-desktop-users"), "minimum length": resolve.MinLength, "lockout": resolve.Lockout,
		"built-in guest, name": resolve.BuiltinOf(principal.Guest, "name"), "managed account keeper": resolve.AccountOf("keeper"),
		"accounts.keeper": resolve.AccountOf("keeper"), "rotation of keeper": resolve.RotationOf(principal.FromKey("keeper")), "membership.deck-hands": resolve.MembershipOf("deck-hands"),
	} {
		unit, err := words.ParseUnit(written)
		require.NoError(t, err, written)
		assert.Equal(t, want, unit, written)
	}
	_, err := words.ParseUnit("administratrs")
	assert.ErrorContains(t, err, `did you mean "administrators"?`)
}
