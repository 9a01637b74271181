package present_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/effect"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/present"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/unit"
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
		unit  unit.ID
		value unit.Value
	}{
		"1 character":             {unit.MinLength, unit.Int(1)},
		"24 remembered":           {unit.History, unit.Int(24)},
		"never expires":           {unit.MaxAgeDays, unit.Int(0)},
		"expires after 1 day":     {unit.MaxAgeDays, unit.Int(1)},
		"may change at once":      {unit.MinAgeDays, unit.Int(0)},
		"may change after 3 days": {unit.MinAgeDays, unit.Int(3)},
		"any characters":          {unit.Complexity, unit.Bool(false)},
		"never locks":             {unit.Lockout, unit.LockoutValue{}},
		"after 1 wrong attempt within 2 hours, locked until someone unlocks": {unit.Lockout,
			unit.LockoutValue{Threshold: 1, WindowMinutes: 120}},
		"after 5 wrong attempts within 1 day, locked for 90 min": {unit.Lockout,
			unit.LockoutValue{Threshold: 5, DurationMinutes: 90, WindowMinutes: 1440}},
		"exactly: no members": {unit.Administrators, unit.Members{Closed: true}},
		"exactly: built-in administrator, keeper": {unit.Administrators,
			unit.Members{Closed: true, Present: refs("builtin:administrator", "local:keeper")}},
		"must include: keeper; must not include: guests": {unit.Administrators,
			unit.Members{Present: refs("local:keeper"), Absent: refs("local:guests")}},
		"must not include: S-1-5-32-546": {unit.Administrators,
			unit.Statement{Mode: unit.Adjust, Remove: refs("sid:S-1-5-32-546")}},
		"exactly: keeper": {unit.Administrators,
			unit.Statement{Mode: unit.Exact, Members: refs("local:keeper")}},
		"none": {unit.Administrators, nil},
		"disabled": {unit.BuiltinOf(principal.Guest, unit.BuiltinEnabled),
			unit.Bool(false)},
		"quay-zero": {unit.BuiltinOf(principal.Guest, unit.BuiltinName),
			unit.Text("quay-zero")},
		"empty": {unit.BuiltinOf(principal.Guest, "full_name"),
			unit.Text("")},
		"keeper-##, absent": {unit.AccountOf("k"),
			unit.AccountValue{Name: "keeper-##", State: unit.Absent}},
		`keeper-##, enabled, full name "Keeper", "Break glass", password expires, formerly admin or chief`: {unit.AccountOf("k"), unit.AccountValue{
			Name: "keeper-##", State: unit.Enabled, Formerly: []string{"admin", "chief"},
			Details: unit.Details{FullName: "Keeper", Description: "Break glass", PasswordExpires: true}}},
		"every 30 days, 4 hours after a sign-in, ending its sessions, 1 hour after it was viewed, with a new name; 6 " +
			"words (78 bits)": {unit.RotationOf(principal.Administrator), unit.RotationValue{
			EveryMinutes: 43200, AfterUse: unit.AfterUse{WaitMinutes: 240, Then: unit.EndSessions},
			AfterRevealMinutes: new(60), RedrawName: true, Secret: unit.Secret{Style: unit.Words, Words: 6}}},
		"every 2 hours, 15 min after a sign-in; 12 characters of digits, lower (62 bits)": {unit.RotationOf(
			principal.Administrator), unit.RotationValue{
			EveryMinutes: 120, AfterUse: unit.AfterUse{WaitMinutes: 15, Then: unit.Nothing},
			Secret: unit.Secret{Style: unit.Characters, Length: 12, Use: []string{"digits", "lower"}}}},
	} {
		assert.Equal(t, want, present.Value(c.unit, c.value))
	}
}

func TestWhyInWords(t *testing.T) {
	lost := func(name string, why resolve.Why) resolve.LosingClaim {
		return resolve.LosingClaim{Assignment: name, Rank: 500, Why: why}
	}
	for want, u := range map[string]resolve.Unit{
		"base (only assignment)": {Verdict: resolve.Sole, From: []string{"base"}},
		"a and b agree": {Verdict: resolve.Agreed, From: []string{"a"},
			Over: []resolve.LosingClaim{lost("b", resolve.Same)}},
		"3 assignments agree": {Verdict: resolve.Agreed, From: []string{"a", "b"},
			Over: []resolve.LosingClaim{lost("c", resolve.Same)}},
		"desks outranks base": {Verdict: resolve.Ranked, From: []string{"desks"},
			Over: []resolve.LosingClaim{lost("base", resolve.Outranked)}},
		"a, stricter than b at equal rank": {Verdict: resolve.Stricter, From: []string{"a"},
			Over: []resolve.LosingClaim{lost("b", resolve.LessStrict)}},
		"a, stricter than b at equal rank; outranks c": {Verdict: resolve.Stricter, From: []string{"a"},
			Over: []resolve.LosingClaim{lost("b", resolve.LessStrict), lost("c", resolve.Outranked)}},
		"a and b differ at equal rank": {Verdict: resolve.Contested,
			Over: []resolve.LosingClaim{lost("a", resolve.Disputed), lost("b", resolve.Disputed),
				lost("c", resolve.Closed)}},
		"a sets the exact list; 1 ignored": {Verdict: resolve.Merged, Value: unit.Members{Closed: true},
			From: []string{"a"}, Over: []resolve.LosingClaim{lost("b", resolve.Closed)}},
		"a and b set the exact list together": {Verdict: resolve.Merged, Value: unit.Members{Closed: true},
			From: []string{"a", "b"}},
		"a and b, merged": {Verdict: resolve.Merged, Value: unit.Members{},
			From: []string{"a", "b"}},
	} {
		assert.Equal(t, want, present.Why(u))
	}
	assert.Equal(t, "ignored: a stronger assignment sets the exact list", present.Lost(lost("b", resolve.Closed)))
	assert.Contains(t, present.Held(resolve.HeldUnit{Why: "no_admin_path"}), "add an enabled account with a rotation")
}

func TestFindingsInWords(t *testing.T) {
	for want, f := range map[string]drift.Finding{
		"8 characters instead of 12 characters": {Unit: unit.MinLength,
			Kind: drift.WrongValue, Expected: unit.Int(12), Actual: unit.Int(8)},
		"not reported": {Unit: unit.MinLength,
			Kind: drift.WrongValue, Expected: unit.Int(12)},
		"mechanic is a member, but not in the exact list": {Kind: drift.MemberExtra,
			Subject: "local:mechanic"},
		"built-in guest is a member, but must not be": {Kind: drift.MemberForbidden,
			Subject: "builtin:guest"},
		"keeper should be a member": {Kind: drift.MemberMissing,
			Subject: "local:keeper", Actual: drift.IsNotMember},
		"keeper should be a member, but does not exist on the device": {Kind: drift.MemberMissing,
			Subject: "local:keeper", Actual: drift.NoSuchAccount},
		"desks should be a member, but the directory does not know it": {Kind: drift.MemberMissing,
			Subject: "local:desks", Actual: drift.NotKnown},
		"the account keeper-## does not exist": {Kind: drift.AccountMissing,
			Expected: "keeper-##"},
		"the account old-hand exists, but should be absent": {Kind: drift.AccountPresent,
			Actual: "old-hand"},
		"disabled instead of enabled": {Kind: drift.AccountState,
			Expected: "enabled", Actual: "disabled"},
		"name boss instead of keeper-##": {Kind: drift.AccountName,
			Expected: "keeper-##", Actual: "boss"},
		`full name is empty instead of "Keeper"`: {Kind: drift.AccountDetail,
			Subject: "full_name", Expected: "Keeper", Actual: ""},
		"password expires is on instead of off": {Kind: drift.AccountDetail,
			Subject: "password_expires", Expected: false, Actual: true},
		"the password was never rotated, so none is stored": {Kind: drift.RotationNever},
		"the password was changed outside Rank Warden, so the stored one no longer " +
			"works": {Kind: drift.ChangedElsewhere},
		"last rotated 2031-01-01T00:00:00Z, overdue": {Kind: drift.RotationOverdue,
			Actual: "2031-01-01T00:00:00Z"},
		"never locks instead of after 3 wrong attempts within 15 min, locked for 15 min": {Kind: drift.WrongValue,
			Expected: unit.LockoutValue{Threshold: 3, DurationMinutes: 15, WindowMinutes: 15},
			Actual:   unit.LockoutRule{DurationMinutes: 30}},
		"the local group does not exist on the device": {Kind: drift.GroupMissing},
		"not supported on this device":                 {Kind: drift.UnitUnsupported},
		"the device could not change it: access denied": {Kind: drift.ApplyFailed,
			Actual: "access denied"},
		"the device could not change keeper: access denied": {Kind: drift.ApplyFailed,
			Subject: "local:keeper", Actual: "access denied"},
	} {
		assert.Equal(t, want, present.Finding(f))
	}
}

// Every problem is explained, and says what to do.
func TestProblemsInWords(t *testing.T) {
	for want, p := range map[string]resolve.Problem{
		"newer: it is unknown whether this assignment applies": {Code: resolve.UndecidedScope, Unit: "newer"},
		"managed keeper is to be a member, but": {Code: resolve.MemberUndeclared,
			Unit: "membership.users", Detail: "account:keeper"},
		"accounts.a and accounts.b: two": {Code: resolve.NameClash,
			Unit: "accounts.a+accounts.b"},
	} {
		assert.True(t, strings.HasPrefix(present.Problem(p), want), present.Problem(p))
		assert.Contains(t, present.Problem(p), "; ")
	}
	for _, code := range resolve.Codes {
		said := present.Problem(resolve.Problem{Code: code, Unit: "lockout"})
		wrong, out, both := strings.Cut(said, "; ")
		assert.True(t, both && len(wrong) > 10 && len(out) > 10, "%s: %q", code, said)
		assert.NotContains(t, said, string(code), "a code is no sentence")
		assert.NotEqual(t, string(code), present.Held(resolve.HeldUnit{Why: string(code)}))
	}
	assert.Equal(
		t,
		"assignments of equal rank require different values; change the rank of one",
		present.Held(resolve.HeldUnit{Why: "contested"}),
	)
}

func TestHasInWords(t *testing.T) {
	state := drift.State{
		LocalGroups: []drift.LocalGroup{{LocalGroup: "users", SID: drift.WellKnown("users")}},
		Passwords:   &drift.Passwords{History: new(3)},
	}
	assert.Equal(t, "no members", present.Has(unit.MembershipOf("users"), nil, &state, nil))
	assert.Equal(t, "no such local group", present.Has(unit.Administrators, nil, &state, nil))
	assert.Equal(t, "3 remembered", present.Has(unit.History, nil, &state, nil))
	state.Accounts = []drift.Account{
		{Name: "Boss", Builtin: "administrator", Enabled: true},
		{Name: "keeper-07", Enabled: true, Locked: true, Details: unit.Details{FullName: "Keeper"}},
	}
	assert.Equal(
		t,
		`keeper-07, enabled, full name "Keeper", locked`,
		present.Has(unit.AccountOf("k"), unit.AccountValue{Name: "keeper-##"}, &state, nil),
	)
	assert.Equal(t, "no such account", present.Has(unit.AccountOf("k"), nil, &state, nil))
	assert.Equal(t, "Boss", present.Has(unit.BuiltinOf(principal.Administrator, unit.BuiltinName), nil, &state, nil))
	assert.Equal(t, "never rotated", present.Has(unit.RotationOf(principal.Administrator), nil, &state, nil))
	assert.Equal(t, "not reported", present.Has(unit.MinLength, nil, &state, nil))
	assert.Equal(t, "not reported", present.Has(unit.Lockout, nil, &state, nil))
}

func TestOrderOfUnits(t *testing.T) {
	units := []unit.ID{
		unit.Complexity,
		unit.MinLength,
		unit.MembershipOf("users"),
		unit.BuiltinOf(principal.Guest, "name"),
		unit.RotationOf(principal.Administrator),
		unit.AccountOf("k"),
		unit.Lockout,
		unit.Administrators,
	}
	slices.SortFunc(units, present.Compare)
	assert.Equal(
		t,
		[]unit.ID{
			unit.Administrators,
			unit.MembershipOf("users"),
			unit.AccountOf("k"),
			unit.RotationOf(principal.Administrator),
			unit.BuiltinOf(principal.Guest, "name"),
			unit.Lockout,
			unit.MinLength,
			unit.Complexity,
		},
		units,
	)
	assert.Equal(t, "remote desktop users", present.Unit(unit.MembershipOf("remote-desktop-users")))
	assert.Equal(t, "Password rules", present.Section(unit.History))
}

func TestAPolicyInWords(t *testing.T) {
	doc, problems := policy.Parse(
		[]byte(
			"format: rankwarden.policy/1\nname: p\nlockout: {threshold: 0}\nrotation: [{target: "+
				"builtin:administrator, secret: {style: words, words: 8}}]\nmembership: [{local_group: "+
				"administrators, mode: exact}]",
		),
		nil,
	)
	require.Len(t, problems, 1)
	assert.Equal(t, policy.CodeEmptyExact, problems[0].Code)
	assert.Equal(t, []present.Line{
		{
			Unit:    "membership.administrators",
			Section: "Local groups",
			Title:   "administrators",
			Words:   "exactly: built-in administrator",
		},
		{
			Unit:    "rotation.builtin:administrator",
			Section: "Rotation",
			Title:   "built-in administrator",
			Words:   "every 30 days, 4 hours after a sign-in, ending its sessions; 8 words (103 bits)",
		},
		{Unit: "lockout", Section: "Lockout", Title: "lockout", Words: "never locks"},
	}, present.Policy(doc.Normalise(nil)))
}

// Every kind of event is said in words.
func TestEventsInWords(t *testing.T) {
	for _, kind := range drift.EventKinds {
		said := present.Event(drift.Event{
			Kind:    kind,
			Unit:    unit.Administrators,
			Subject: "local:mechanic",
			Details: drift.Details{OldName: "a", NewName: "b", Number: 2, Error: "denied"},
		})
		assert.NotEqual(t, string(kind), said)
		assert.NotContains(t, said, "local:")
	}
	assert.Equal(t, "desired state 2 was read back, but 1 setting could not be changed", present.Event(drift.Event{
		Kind: drift.AppliedInPart, Details: drift.Details{Number: 2, Failed: 1},
	}))
	assert.Equal(t, "built-in guest, name: b instead of a", present.Event(drift.Event{
		Kind:    drift.ValueSet,
		Unit:    unit.BuiltinOf(principal.Guest, "name"),
		Details: drift.ChangeOf(unit.Text("a"), unit.Text("b")),
	}))
}

// A setting is found as it is written and as it is shown; a misspelt one is named with the nearest.
func TestSettingsAreFoundAsShown(t *testing.T) {
	for written, want := range map[string]unit.ID{
		"administrators": unit.Administrators, "Administrators": unit.Administrators,
		"membership.administrators": unit.Administrators,
		"remote desktop users":      unit.MembershipOf("remote-desktop-users"), "minimum length": unit.MinLength,
		"lockout":                unit.Lockout,
		"built-in guest, name":   unit.BuiltinOf(principal.Guest, "name"),
		"managed account keeper": unit.AccountOf("keeper"),
		"accounts.keeper":        unit.AccountOf("keeper"),
		"rotation of keeper":     unit.RotationOf(principal.FromKey("keeper")),
		"membership.deck-hands":  unit.MembershipOf("deck-hands"),
	} {
		id, err := present.ParseUnit(written)
		require.NoError(t, err, written)
		assert.Equal(t, want, id, written)
	}
	_, err := present.ParseUnit("administratrs")
	assert.ErrorContains(t, err, `did you mean "administrators"?`)
}

// Every kind of effect has a section and a sentence that names its setting or subject.
func TestEffectsInWords(t *testing.T) {
	administrators, keeper := unit.Administrators, unit.AccountOf("keeper")
	for words, e := range map[string]effect.Effect{
		"every setting is held: it keeps the value last sent": {Kind: effect.Held},
		"lockout is no longer held":                           {Kind: effect.NoLongerHeld, Unit: unit.Lockout},
		"mechanic leaves administrators": {Kind: effect.MemberLeaves, Unit: administrators,
			Subject: "local:mechanic"},
		"managed keeper joins administrators": {Kind: effect.MemberJoins, Unit: administrators,
			Subject: "account:keeper"},
		"minimum length gets less strict: 14 characters → 8 characters": {
			Kind: effect.Loosened, Unit: unit.MinLength, Before: unit.Int(14), After: unit.Int(8),
		},
		"history changes: not reported → 3 remembered": {Kind: effect.Changed, Unit: unit.History, After: unit.Int(3)},
		"lockout gets stricter: various → never locks": {
			Kind: effect.Tightened, Unit: unit.Lockout, Before: effect.Varies, After: unit.LockoutValue{},
		},
		"managed keeper is renamed from keeper-# to k": {
			Kind: effect.AccountRenamed, Unit: keeper, Subject: "account:keeper", Before: "keeper-#", After: "k",
		},
		"managed keeper is removed: keeper-7": {
			Kind: effect.AccountRemoved, Unit: keeper, Subject: "account:keeper", Before: "keeper-7",
		},
		"managed keeper is created as keeper-#": {
			Kind: effect.AccountCreated, Unit: keeper, Subject: "account:keeper", After: "keeper-#",
		},
		"managed keeper takes over an existing account: admin becomes keeper-#": {
			Kind: effect.AccountAdopted, Unit: keeper, Subject: "account:keeper", Before: "admin", After: "keeper-#",
		},
		`managed keeper changes: full name empty → "Keeper", password expires off → on`: {
			Kind: effect.AccountDescribed, Unit: keeper, Subject: "account:keeper",
			Before: map[string]any{"full_name": "", "password_expires": false},
			After:  map[string]any{"full_name": "Keeper", "password_expires": true},
		},
		"managed keeper changes its full name, description or expiry": {
			Kind: effect.AccountDescribed, Unit: keeper, Subject: "account:keeper", Before: effect.Varies,
			After: effect.Varies,
		},
		"rotation of managed keeper stops": {
			Kind: effect.RotationStops, Unit: unit.RotationOf(principal.FromKey("keeper")), Subject: "account:keeper",
		},
		"the device refuses to remove its last break-glass account from administrators: managed keeper": {
			Kind: effect.GuardRefuses, Unit: administrators, Before: []string{"account:keeper"},
		},
	} {
		assert.Equal(t, words, present.Effect(e))
	}
	for _, kind := range effect.Kinds {
		assert.Equal(t, kind == effect.NoLongerHeld, present.EffectSection(kind) == "No longer held", kind)
		assert.NotContains(
			t,
			present.Effect(effect.Effect{Kind: kind, Unit: keeper, Subject: "account:keeper"}),
			"%",
			kind,
		)
	}
}
