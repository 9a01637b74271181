package reconcile_test

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host/simulated"
	"rankwarden.example/internal/agent/reconcile"
)

// setting makes a setting from its name and its value as JSON.
func setting(name, value string) unit.Setting {
	var s unit.Setting
	if err := json.Unmarshal([]byte(`{"unit": "`+name+`", "value": `+value+`}`), &s); err != nil {
		panic(err)
	}
	return s
}

const deskKeeper = `{"name": "keeper-####", "formerly": ["old-hand"], "state": "enabled", "full_name": "Desk keeper", "description": "Way in", "password_expires": false}`

func account(t *testing.T, state drift.State, name string) drift.Account {
	t.Helper()
	for _, a := range state.Accounts {
		if a.Name == name {
			return a
		}
	}
	require.Fail(t, "no account "+name)
	return drift.Account{}
}

func TestManagedAccountIsMade(t *testing.T) {
	r := &recorder{Host: workstation(t)}
	settings := []unit.Setting{setting("accounts.desk", deskKeeper), only("account:desk")}
	outcome, err := once(t, r, settings)
	require.NoError(t, err)
	assert.Empty(t, outcome.Failures)
	assert.Empty(t, drift.Check(settings, &outcome.After, nil, drift.Context{}))
	made := account(t, outcome.After, "keeper-1234")
	assert.Equal(t, "desk", made.Key)
	assert.Equal(t, reconcile.Bindings{"desk": made.SID}, outcome.Bindings)
	order := strings.Join(r.did, " ")
	assert.Equal(
		t,
		"create password describe enable in out out",
		strings.Join(strings.Fields(strings.ReplaceAll(order, "read", "")), " "),
		"it has a password before it is enabled, is enabled before it joins, and nobody leaves before that",
	)

	// Renamed by somebody, it is still the same account, and gets its name back.
	require.NoError(t, r.RenameAccount(t.Context(), made.SID, "boss"))
	again, err := reconcile.Run(t.Context(), r.Host, job(settings, outcome.Bindings))
	require.NoError(t, err)
	assert.Equal(t, made.SID, account(t, again.After, "keeper-1234").SID)
	assert.Equal(t, "boss", account(t, again.Before, "boss").Name)

	// Deleted by somebody, it is made again under another identifier.
	require.NoError(t, r.DeleteAccount(t.Context(), made.SID))
	again, err = reconcile.Run(t.Context(), r.Host, job(settings, outcome.Bindings))
	require.NoError(t, err)
	assert.NotEqual(t, made.SID, again.Bindings["desk"])
	assert.Empty(t, drift.Check(settings, &again.After, nil, drift.Context{}))
}

// An account that fits is adopted: whoever used it is signed out, and no longer knows its password.
func TestAdoption(t *testing.T) {
	for name, fits := range map[string]string{"by its name": "Keeper-0042", "by its former name": "OLD-HAND"} {
		t.Run(name, func(t *testing.T) {
			w := workstation(t)
			sid := w.AddAccount(fits)
			require.NoError(t, w.SetPassword(t.Context(), sid, "known"))
			require.NoError(t, w.SignIn(fits, "known"))
			settings := []unit.Setting{setting("accounts.desk", deskKeeper)}
			outcome, err := once(t, w, settings)
			require.NoError(t, err)
			assert.Empty(t, drift.Check(settings, &outcome.After, outcome.Failures, drift.Context{}))
			assert.Equal(t, sid, outcome.Bindings["desk"], "it keeps its identity")
			assert.False(t, w.SignedIn(sid))
			now := account(
				t,
				outcome.After,
				map[bool]string{true: "Keeper-0042", false: "keeper-1234"}[fits == "Keeper-0042"],
			).Name
			assert.ErrorIs(t, w.SignIn(now, "known"), simulated.ErrWrong)
		})
	}
	w := workstation(t)
	w.AddAccount("keeper-0001")
	w.AddAccount("keeper-0002")
	outcome, err := once(t, w, []unit.Setting{setting("accounts.desk", deskKeeper)})
	require.NoError(t, err)
	require.Len(t, outcome.Failures, 1)
	assert.Equal(
		t,
		"several accounts fit the name: keeper-0001, keeper-0002; rename or remove all but one",
		outcome.Failures[0].Error,
	)
	assert.Empty(t, outcome.Bindings)

	// Neither gains a group, though its name fits.
	outcome, err = once(t, w, []unit.Setting{
		setting("accounts.desk", deskKeeper),
		setting("membership.administrators", `{"closed": false, "present": ["account:desk"], "absent": []}`),
	})
	require.NoError(t, err)
	group, _ := outcome.After.Group(unit.GroupAdministrators)
	assert.False(t, group.Has(w.Find("keeper-0001")) || group.Has(w.Find("keeper-0002")))

	// Neither goes, where one is to be absent.
	outcome, err = once(
		t,
		w,
		[]unit.Setting{setting("accounts.desk", strings.Replace(deskKeeper, "enabled", "absent", 1))},
	)
	require.NoError(t, err)
	assert.Contains(t, outcome.Failures[0].Error, "several accounts fit")
	assert.NotZero(t, w.Find("keeper-0001"))
}

// An account that something runs as is taken over only where the policy says so; where the password is kept, neither it
// nor a session is touched.
func TestTakingOver(t *testing.T) {
	w := workstation(t)
	sid := w.AddAccount("keeper-0042")
	require.NoError(t, w.SetPassword(t.Context(), sid, "known"))
	require.NoError(t, w.SignIn("keeper-0042", "known"))
	w.Serve("service tide-sync", sid)
	outcome, err := once(t, w, []unit.Setting{setting("accounts.desk", deskKeeper)})
	require.NoError(t, err)
	require.Len(t, outcome.Failures, 1)
	assert.Contains(t, outcome.Failures[0].Error, "in use by service tide-sync")
	assert.Empty(t, outcome.Bindings)
	assert.True(t, w.SignedIn(sid))
	assert.True(t, w.Opens(sid, "known"))

	kept := strings.TrimSuffix(deskKeeper, "}") + `, "take_over": true, "keep_password": true}`
	outcome, err = once(t, w, []unit.Setting{setting("accounts.desk", kept)})
	require.NoError(t, err)
	assert.Empty(t, outcome.Failures)
	assert.Equal(t, sid, outcome.Bindings["desk"])
	assert.True(t, w.SignedIn(sid), "sessions go on")
	assert.True(t, w.Opens(sid, "known"), "and so does the password")

	again := workstation(t)
	sid = again.AddAccount("keeper-0042")
	require.NoError(t, again.SetPassword(t.Context(), sid, "known"))
	again.Serve("service tide-sync", sid)
	outcome, err = once(t, again, []unit.Setting{
		setting("accounts.desk", strings.TrimSuffix(deskKeeper, "}")+`, "take_over": true}`)})
	require.NoError(t, err)
	assert.Equal(t, sid, outcome.Bindings["desk"])
	assert.False(t, again.Opens(sid, "known"))
}

func TestAccountsAreDisabledAndRemovedUnderTheGuard(t *testing.T) {
	w := workstation(t)
	gone := setting(
		"accounts.spare",
		`{"name": "setup", "formerly": [], "state": "absent", "full_name": "", "description": "", "password_expires": true}`,
	)
	off := setting(
		"accounts.first",
		`{"name": "keeper", "formerly": [], "state": "disabled", "full_name": "", "description": "", "password_expires": true}`,
	)
	outcome, err := once(t, w, []unit.Setting{gone, off})
	require.NoError(t, err)
	require.Len(t, outcome.Failures, 1, "one of the two administrators must stay")
	assert.Equal(
		t,
		unit.AccountOf("spare"),
		outcome.Failures[0].Unit,
		"the first in order was disabled; then nobody else was left",
	)
	assert.Equal(t, "would leave no usable administrator", outcome.Failures[0].Error)
	assert.False(t, account(t, outcome.After, "keeper").Enabled)

	// The last one is not disabled, and neither is the built-in one where it is all there is.
	last := setting(
		"accounts.last",
		`{"name": "setup", "formerly": [], "state": "disabled", "full_name": "", "description": "", "password_expires": true}`,
	)
	outcome, err = once(t, w, []unit.Setting{last})
	require.NoError(t, err)
	assert.Equal(t, "would leave no usable administrator", outcome.Failures[0].Error)
	assert.True(t, account(t, outcome.After, "setup").Enabled)

	desk := setting("accounts.desk", deskKeeper)
	outcome, err = once(t, w, []unit.Setting{
		desk,
		gone,
		off,
		setting("membership.administrators", `{"closed": false, "present": ["account:desk"], "absent": []}`),
	})
	require.NoError(t, err)
	assert.Empty(t, outcome.Failures, "with a managed administrator both can go")
	assert.Zero(t, w.Find("setup"))
}

func TestBuiltinAccountsAreFoundByIdentifier(t *testing.T) {
	w := workstation(t)
	require.NoError(t, w.RenameAccount(t.Context(), w.Find("Administrator"), "Hausherr"))
	require.NoError(t, w.EnableAccount(t.Context(), w.Find("Guest"), true))
	settings := []unit.Setting{
		setting(
			"builtins.administrator.name",
			`"quay-zero"`,
		), setting("builtins.administrator.enabled", "true"), setting("builtins.administrator.full_name", `"Zero"`),
		setting(
			"builtins.guest.name",
			`"quay-visitor"`,
		), setting("builtins.guest.enabled", "false"), setting("builtins.guest.description", `"Nobody"`),
	}
	before := w.Machine().Accounts[0].Password
	outcome, err := once(t, w, settings)
	require.NoError(t, err)
	assert.Empty(t, drift.Check(settings, &outcome.After, outcome.Failures, drift.Context{}))
	assert.NotEqual(t, before, w.Machine().Accounts[0].Password, "what is enabled has a password nobody knows")

	m := workstation(t).Machine()
	m.Faults.KeepsNames = true
	outcome, err = once(t, simulated.Boot(m, w.Now), settings)
	require.NoError(t, err)
	assert.Equal(t, []unit.ID{settings[2].Unit, settings[5].Unit}, outcome.After.Unsupported, "both names, in order")
}

// People and groups come with the desired state, by name and identifier.
func TestDirectoryMembers(t *testing.T) {
	w := workstation(t)
	people := principal.MustParse("group:workshop leads@skerryline.example")
	j := job([]unit.Setting{only("local:keeper", people.String(), "user:unheard.of@skerryline.example")}, nil)
	j.Directory = []principal.Entry{{Ref: people, SID: principal.MustParse(leads).SID()}}
	outcome, err := reconcile.Run(t.Context(), w, j)
	require.NoError(t, err)
	assert.Empty(t, outcome.Failures)
	group, _ := outcome.After.Group(unit.GroupAdministrators)
	assert.True(t, group.Has(j.Directory[0].SID))
	findings := drift.Check(j.Settings, &outcome.After, nil, drift.Context{Directory: principal.NewTable(j.Directory)})
	require.Len(t, findings, 1)
	assert.Equal(t, drift.NotKnown, findings[0].Actual)
}

func TestUnitsThatAreLeftAlone(t *testing.T) {
	w := workstation(t)
	j := job(asked(only("local:keeper")), nil)
	j.Leave = []unit.ID{unit.Administrators, unit.MinLength, unit.Lockout}
	outcome, err := reconcile.Run(t.Context(), w, j)
	require.NoError(t, err)
	differing := map[unit.ID]bool{}
	for _, f := range drift.Check(j.Settings, &outcome.After, nil, drift.Context{}) {
		differing[f.Unit] = true
	}
	assert.Equal(t, map[unit.ID]bool{unit.Administrators: true, unit.MinLength: true, unit.Lockout: true}, differing)
}

// What a platform carries out in part is carried out that far, and is said to be no more than that.
func TestAMinimumLengthThatABuildDoesNotTake(t *testing.T) {
	w := workstation(t)
	w.Upgrade("10.0.17763", 17763)
	length := func(n int) []unit.Setting { return []unit.Setting{{Unit: unit.MinLength, Value: unit.Int(n)}} }
	first, err := reconcile.Run(t.Context(), w, job(length(20), nil))
	require.NoError(t, err)
	assert.Equal(t, 14, *first.After.Passwords.MinLength, "it echoes nothing that it does not enforce")
	found := drift.Check(length(20), &first.After, first.Failures, drift.Context{})
	require.Len(t, found, 1)
	assert.Equal(t, drift.UnitUnsupported, found[0].Kind)
	assert.Contains(t, found[0].Actual, "at most 14 characters")
	assert.Equal(t, []unit.ID{unit.MinLength}, first.After.Unable(length(20)), "a preview knows")
	again, err := reconcile.Run(t.Context(), w, job(length(20), nil))
	require.NoError(t, err)
	assert.Empty(t, again.Events, "nothing is done twice")

	w.Upgrade("10.0.22631", 22631)
	last, err := reconcile.Run(t.Context(), w, job(length(20), nil))
	require.NoError(t, err)
	assert.Equal(t, 20, *last.After.Passwords.MinLength)
	assert.Empty(t, drift.Check(length(20), &last.After, last.Failures, drift.Context{}))
}

// Whenever the power goes while accounts are made, adopted, renamed and removed, an administrator
// remains, no account gained a group with a password somebody knows, and the next passes end as asked.
func TestPowerCutAmongAccounts(t *testing.T) {
	settings := []unit.Setting{
		setting(
			"accounts.desk",
			deskKeeper,
		), only("account:desk"), setting("builtins.administrator.name", `"quay-zero"`),
		setting(
			"accounts.spare",
			`{"name": "setup", "formerly": [], "state": "absent", "full_name": "", "description": "", "password_expires": true}`,
		),
	}
	for changes := range 14 {
		w := workstation(t)
		old := w.AddAccount("old-hand")
		require.NoError(t, w.SetPassword(t.Context(), old, "known"))
		w.CutAfter(changes)
		outcome, err := once(t, w, settings)
		if err != nil {
			require.ErrorIs(t, err, simulated.ErrCut, "after %d changes", changes)
		}
		w.CutAfter(-1)
		assert.Positive(t, localAdministrators(t, w))
		state, err := w.Read(t.Context())
		require.NoError(t, err)
		if group, _ := state.Group(unit.GroupAdministrators); group.Has(old) {
			for _, a := range state.Accounts {
				if a.SID == old {
					assert.ErrorIs(t, w.SignIn(a.Name, "known"), simulated.ErrWrong)
				}
			}
		}
		outcome, err = reconcile.Run(t.Context(), w, job(settings, outcome.Bindings))
		require.NoError(t, err)
		assert.Empty(
			t,
			drift.Check(settings, &outcome.After, outcome.Failures, drift.Context{}),
			"after %d changes",
			changes,
		)
	}
}
