package win32

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	host "rankwarden.example/internal/agent/host/windows"
)

// These run on a real Windows, and in Wine, where the calls are that it has. Calls that change anything but an account
// of the test's own are left to host-check.

// place is a directory that stays: Wine does not remove any in the way of Go's programs.
func place(t *testing.T) string {
	dir, err := os.MkdirTemp("", "rankwarden-*")
	require.NoError(t, err)
	return dir
}

func TestTheMachineSaysWhatItIs(t *testing.T) {
	m, err := New(place(t)).Machine()
	require.NoError(t, err)
	assert.NotEmpty(t, m.Name)
	assert.Regexp(t, `^\d+\.\d+\.\d+$`, m.Version)
	assert.Positive(t, m.Build)
	assert.False(t, m.Controller)
	assert.True(t, strings.HasPrefix(m.SID.String(), "S-1-5-21-"), m.SID.String())
	assert.True(t, strings.HasSuffix(m.Program, ".exe"), m.Program)
	assert.Greater(t, len(m.Firmware), 8, "SMBIOS tables behind their head")
}

func TestNamesAndIdentifiers(t *testing.T) {
	s := New(place(t))
	administrators := drift.WellKnown(unit.GroupAdministrators)
	name, err := s.NameOf(administrators)
	require.NoError(t, err)
	sid, err := s.SIDOf(name)
	require.NoError(t, err)
	assert.Equal(t, administrators, sid)
	_, err = s.NameOf(principal.MustSID("S-1-5-32-9999"))
	assert.ErrorIs(t, err, host.NoneMapped)
	_, err = s.SIDOf("nobody of this name")
	assert.ErrorIs(t, err, host.NoneMapped)
}

func TestAnAccountComesAndGoes(t *testing.T) {
	s := New(place(t))
	require.NoError(t, s.AddUser("rw-check", "Harbour-lamp-41", host.FlagScript|host.FlagNormal|host.FlagDisabled))
	require.NoError(t, s.DeleteUser("rw-check"))
	assert.ErrorIs(t, s.DeleteUser("rw-check"), host.UserNotFound)
	assert.ErrorIs(t, s.DeleteUser("rw\x00check"), host.InvalidParameter)
}

func TestSessionsAndProcesses(t *testing.T) {
	s := New(place(t))
	_, err := s.Sessions()
	require.NoError(t, err)
	processes, err := s.Processes()
	require.NoError(t, err)
	var own principal.SID
	for _, p := range processes {
		if int(p.ID) == os.Getpid() {
			own = p.SID
		}
	}
	assert.False(t, own.IsZero(), "this process, and whose it is, in %v", processes)
}

func TestProtection(t *testing.T) {
	s := New(place(t))
	sealed, err := s.Protect([]byte("a lamp over the north pier"))
	require.NoError(t, err)
	assert.NotContains(t, string(sealed), "lamp")
	open, err := s.Unprotect(sealed)
	require.NoError(t, err)
	assert.Equal(t, "a lamp over the north pier", string(open))
	_, err = s.Unprotect([]byte("no such thing"))
	assert.Error(t, err)
}

// A directory that somebody made where the agent keeps its state is not taken, whatever lies in it.
func TestADirectoryOfSomebodyElse(t *testing.T) {
	dir := place(t) + `\planted`
	require.NoError(t, os.WriteFile(dir, nil, 0o600))
	assert.ErrorContains(t, Private(dir), "it is no directory of its own")
	inner := place(t) + `\Rank Warden\Agent`
	require.NoError(t, Private(inner), "with the one above it")
	assert.NoError(t, os.WriteFile(inner+`\kept`, nil, 0o600))
}

func TestTemplatesAreInUTF16(t *testing.T) {
	for _, text := range []string{"", "[System Access]\r\n", "Gäste und Ελένη 🕯"} {
		assert.Equal(t, text, fromUTF16(toUTF16(text)))
	}
	assert.Equal(t, "plain", fromUTF16([]byte("plain")))
}
