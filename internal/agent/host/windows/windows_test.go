package windows_test

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/agent/host/hosttest"
	"rankwarden.example/internal/agent/host/windows"
	"rankwarden.example/internal/agent/host/windows/memory"
	"rankwarden.example/internal/agent/journal"
	"rankwarden.example/internal/kit/atomicfile"
)

// machine is a Windows in memory with its host, and a clock that stands still.
type machine struct {
	*windows.Host
	system *memory.System
	dir    string
	at     time.Time
}

func open(t *testing.T) *machine {
	m := &machine{dir: t.TempDir(), at: time.Date(2026, 3, 2, 8, 0, 0, 400e6, time.UTC)}
	m.system = memory.Boot(func() time.Time { return m.at })
	m.again(t)
	return m
}

// again starts the agent again.
func (m *machine) again(t *testing.T) {
	h, err := windows.Open(m.system, m.dir, m.system.Now)
	require.NoError(t, err)
	m.Host = h
}

func (m *machine) fails(call string, err error) {
	m.system.Fails = func(c string) error {
		if c == call {
			return err
		}
		return nil
	}
}

func (m *machine) account(t *testing.T, name string) drift.Account {
	state, err := m.Read(t.Context())
	require.NoError(t, err)
	for _, a := range state.Accounts {
		if a.Name == name {
			return a
		}
	}
	require.Fail(t, "there is no "+name)
	return drift.Account{}
}

func (m *machine) bench(t *testing.T) *hosttest.Bench {
	release, err := agent.Alone(m.dir)
	require.NoError(t, err)
	t.Cleanup(release)
	stay := func(_ context.Context, name, password string) (func() bool, error) {
		session, err := m.system.SignIn(name, password)
		return func() bool { return m.system.SignedIn(session) }, err
	}
	return &hosttest.Bench{
		Host: m,
		Stay: stay,
		SignIn: func(ctx context.Context, name, password string) error {
			session, err := m.system.SignIn(name, password)
			return errors.Join(err, m.system.EndSession(session), m.system.EndProcess(4000+session))
		},
		Change: func(_ context.Context, name, old,
			password string) error {
			return m.system.Change(name, old, password)
		},
		Later:  func(d time.Duration) error { m.at = m.at.Add(d); return nil },
		Second: func() error { _, err := agent.Alone(m.dir); return err },
	}
}

func TestWindowsIsAHost(t *testing.T) {
	m := open(t)
	before, err := m.Read(t.Context())
	require.NoError(t, err)
	b := m.bench(t)
	for _, check := range hosttest.Checks() {
		t.Run(check.Name, func(t *testing.T) { assert.NoError(t, check.Run(t.Context(), b)) })
	}
	after, err := m.Read(t.Context())
	require.NoError(t, err)
	assert.Equal(t, before, after, "nothing is left behind")
}

// Built-in accounts and groups are known by their identifiers, whatever the language of the system calls them.
func TestBuiltinsInAnotherLanguage(t *testing.T) {
	m := open(t)
	facts, err := m.Facts(t.Context())
	require.NoError(t, err)
	assert.Equal(t, "Pier Desk 4", facts.Model)
	assert.Equal(t, "SK-20041", facts.Serial)
	administrator := m.account(t, "Verwalter")
	assert.Equal(t, "administrator", administrator.Builtin)
	assert.Equal(t, "guest", m.account(t, "Gast").Builtin)
	group := drift.WellKnown(unit.GroupAdministrators)
	require.NoError(t, m.AddMember(t.Context(), group, m.account(t, "Gast").SID))
	state, err := m.Read(t.Context())
	require.NoError(t, err)
	assert.Contains(
		t,
		state.LocalGroups,
		drift.LocalGroup{LocalGroup: "Administratoren", SID: group, Members: []drift.Member{
			{
				SID:  administrator.SID,
				Name: "Verwalter",
			}, {SID: m.account(t, "Asta").SID, Name: "Asta"}, {SID: m.account(t, "Gast").SID, Name: "Gast"},
		}},
	)
	assert.ErrorIs(t, m.RemoveMember(t.Context(), group, administrator.SID), windows.SpecialAccount)
	assert.ErrorIs(t, m.AddMember(t.Context(), group, drift.WellKnown("guests")), windows.InvalidMember)

	limits, err := m.Limits(t.Context())
	require.NoError(t, err)
	assert.Contains(
		t,
		limits,
		drift.Limit{Setting: unit.MembershipOf("hyper-v-administrators"), Why: "has no local group of that kind"},
	)
	assert.NotContains(
		t,
		limits,
		drift.Limit{Setting: unit.MembershipOf("guests"), Why: "has no local group of that kind"},
	)
}

// The stamp of a password outlives the agent, and is not moved by answers that lie a second apart.
func TestStampsOfPasswordsOnWindows(t *testing.T) {
	m := open(t)
	first := m.account(t, "Asta")
	for range 40 {
		m.at = m.at.Add(1900 * time.Millisecond)
		m.again(t)
		require.Equal(t, first.PasswordStamp, m.account(t, "Asta").PasswordStamp)
	}
	assert.Equal(t, first.PasswordSetAt, m.account(t, "Asta").PasswordSetAt)
	require.NoError(t, m.system.Change("Asta", "a lamp over the north pier, Asta", "Tide-table-7306"))
	second := m.account(t, "Asta").PasswordStamp
	assert.NotEqual(t, first.PasswordStamp, second, "by its owner")
	require.NoError(t, m.SetPassword(t.Context(), first.SID, "Tide-table-7307"))
	assert.NotEqual(t, second, m.account(t, "Asta").PasswordStamp, "by the agent, within the same second")

	require.NoError(t, os.WriteFile(filepath.Join(m.dir, "windows.json"), []byte("{"), 0o600))
	_, err := windows.Open(m.system, m.dir, m.system.Now)
	assert.ErrorContains(t, err, "move it away")
}

func TestPasswordRulesGoBackTogether(t *testing.T) {
	m := open(t)
	before, err := m.system.PasswordRules()
	require.NoError(t, err)
	m.fails("secedit /configure", windows.AccessDenied)
	err = m.SetPasswords(t.Context(), drift.Passwords{MinLength: new(12), Complexity: new(true)})
	assert.ErrorContains(t, err, "complexity: Windows says that access is denied")
	now, err := m.system.PasswordRules()
	require.NoError(t, err)
	assert.Equal(t, before, now)
	m.system.Fails = nil
	assert.ErrorContains(t, m.SetPasswords(t.Context(), drift.Passwords{MinLength: new(40)}), "minimum length 40")
	longest := func() *int {
		_, err := m.Read(t.Context())
		require.NoError(t, err)
		limits, err := m.Limits(t.Context())
		require.NoError(t, err)
		limit, _ := (&drift.State{Limits: limits}).LimitOf(unit.MinLength)
		return limit.Most
	}
	assert.Equal(t, new(14), longest(), "it is said before anything is asked")
	m.system.Relaxed = true
	assert.Nil(t, longest(), "the system takes more where its option says so")
	require.NoError(t, m.SetPasswords(t.Context(), drift.Passwords{MinLength: new(40)}))
	require.NoError(t, m.SetPasswords(t.Context(), drift.Passwords{MaxAgeDays: new(0)}))
	state, err := m.Read(t.Context())
	require.NoError(t, err)
	assert.Equal(t, 0, *state.Passwords.MaxAgeDays)

	require.NoError(t, m.SetLockout(t.Context(), unit.LockoutRule{Threshold: 5, WindowMinutes: 15}))
	require.NoError(t, m.SetLockout(t.Context(), unit.LockoutRule{}))
	state, err = m.Read(t.Context())
	require.NoError(t, err)
	assert.Equal(t, unit.LockoutRule{WindowMinutes: 15}, *state.Lockout)
}

// A machine that answers for disabled accounts without looking at the password is found out before anything is built on
// its answer; nothing is left of the trial.
func TestDisabledAccountsThatTellNothing(t *testing.T) {
	m := open(t)
	sid, err := m.CreateAccount(t.Context(), "keeper")
	require.NoError(t, err)
	require.NoError(t, m.SetPassword(t.Context(), sid, "Tide-table-7306"))
	require.NoError(t, m.CheckPassword(t.Context(), sid, "Tide-table-7306"))
	assert.ErrorIs(t, m.CheckPassword(t.Context(), sid, "Tide-table-7307"), windows.ErrWrong)
	m.system.Mute = true
	m.again(t)
	assert.ErrorContains(t, m.CheckPassword(t.Context(), sid, "Tide-table-7306"), "does not tell")
	state, err := m.Read(t.Context())
	require.NoError(t, err)
	assert.Len(t, state.Accounts, 4)
}

func TestWhatWindowsRefuses(t *testing.T) {
	m := open(t)
	asta := m.account(t, "Asta")
	_, err := m.CreateAccount(t.Context(), "Gäste")
	assert.ErrorIs(t, err, host.ErrName, "a group has it")
	assert.ErrorIs(t, m.RenameAccount(t.Context(), asta.SID, "gast"), host.ErrName)
	assert.ErrorIs(t, m.DeleteAccount(t.Context(), m.account(t, "Gast").SID), windows.SpecialAccount)
	assert.ErrorIs(
		t,
		m.EnableAccount(t.Context(), principal.MustSID("S-1-5-21-7000-1-200-4"), true),
		windows.UserNotFound,
	)
	m.fails("NetLocalGroupAddMembers", windows.AccessDenied)
	_, err = m.CreateAccount(t.Context(), "keeper")
	assert.ErrorIs(t, err, windows.AccessDenied)
	m.system.Fails = nil
	state, err := m.Read(t.Context())
	require.NoError(t, err)
	assert.Len(t, state.Accounts, 3, "nothing is half made")
	m.fails("NetUserEnum", windows.Code(1722))
	_, err = m.Read(t.Context())
	assert.EqualError(t, err, "reading accounts: Windows refused with error 1722")

	m.system.Fails, m.system.Is.Controller = nil, true
	_, err = windows.Open(m.system, m.dir, m.system.Now)
	assert.ErrorIs(t, err, windows.ErrController)
}

// An account whose time is over is closed whatever its flag says, and is given time when it is enabled.
func TestAnAccountWhoseTimeIsOver(t *testing.T) {
	m := open(t)
	require.NoError(t, m.system.SetUserExpires("Asta", uint32(m.at.Unix()-1)))
	asta := m.account(t, "Asta")
	assert.False(t, asta.Enabled)
	require.NoError(t, m.EnableAccount(t.Context(), asta.SID, true))
	assert.True(t, m.account(t, "Asta").Enabled)
	_, err := m.system.SignIn("Asta", "a lamp over the north pier, Asta")
	assert.NoError(t, err)
}

// What the agent itself tries is no use of a password; what others try from the network is.
func TestSignInsOnWindows(t *testing.T) {
	m := open(t)
	asta := m.account(t, "Asta")
	const password = "a lamp over the north pier, Asta"
	require.NoError(t, m.CheckPassword(t.Context(), asta.SID, password))
	seen, err := m.SignIns(t.Context(), 0)
	require.NoError(t, err)
	assert.Empty(t, seen)
	m.system.Is.Program = `C:\elsewhere.exe`
	m.again(t)
	seen, err = m.SignIns(t.Context(), 0)
	require.NoError(t, err)
	require.Len(t, seen, 1)
	assert.Equal(t, asta.SID, seen[0].Account)
	assert.Equal(t, m.at.UnixMicro(), seen[0].Number)
}

func TestTheDeviceKeyIsOfNoUseOnAnotherWindows(t *testing.T) {
	m, other := open(t), open(t)
	other.system.Is.SID = principal.MustSID("S-1-5-21-7000-1-201")
	kept, err := journal.Open(m.dir, atomicfile.Write, m)
	require.NoError(t, err)
	require.NoError(t, kept.Save())
	_, err = journal.Open(m.dir, atomicfile.Write, m)
	require.NoError(t, err)
	_, err = journal.Open(m.dir, atomicfile.Write, other)
	assert.ErrorIs(t, err, journal.ErrOtherMachine)
}

func TestWhatRunsAsALocalAccount(t *testing.T) {
	m := open(t)
	tide, err := m.CreateAccount(t.Context(), "tide")
	require.NoError(t, err)
	m.system.Programs = []windows.Runs{{Name: "TideSync", As: `.\tide`}, {Name: "Spooler", As: "LocalSystem"},
		{Name: "Elsewhere", As: `OTHER\tide`}}
	m.system.Scheduled = []windows.Runs{{Name: `\Nightly`, As: tide.String()}, {Name: `\Hourly`, As: `SKL-OFF-200\Tide`}}
	runs, err := m.Runs(t.Context())
	require.NoError(t, err)
	assert.Equal(t, map[principal.SID][]string{tide: {"service TideSync", `task \Hourly`, `task \Nightly`}}, runs)
	m.fails("Tasks", windows.AccessDenied)
	_, err = m.Runs(t.Context())
	assert.ErrorIs(t, err, windows.AccessDenied)
}
