package journal_test

import (
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/journal"
	"rankwarden.example/internal/kit/atomicfile"
)

// A failed change is tried again later and later, up to an hour.
func TestRetriesWaitLonger(t *testing.T) {
	var r journal.Password
	at := r.Changed
	var waits []string
	locked := errors.New("it is locked")
	for range 8 {
		fresh := r.Failed(at, locked)
		assert.Equal(t, len(waits) == 0, fresh, "told once while the reason is the same")
		waits = append(waits, r.Retry.Sub(at).String())
	}
	assert.Equal(t, []string{"1m0s", "2m0s", "4m0s", "8m0s", "16m0s", "32m0s", "1h0m0s", "1h0m0s"}, waits)
	assert.True(t, r.Failed(at, errors.New("there is no key")), "another reason is told")
}

// What was kept is there again; what is no journal is said to be none, and nothing is overwritten.
func TestOpening(t *testing.T) {
	dir := t.TempDir()
	j, err := journal.Open(dir, atomicfile.Write, nil)
	require.NoError(t, err)
	j.Device = "D1"
	j.Note(
		time.Unix(0, 0),
		drift.Event{Kind: drift.Applied},
		drift.Event{Kind: drift.DeviceRenamed, Details: drift.Details{OldName: strings.Repeat("x", 5000)}},
	)
	require.NoError(t, j.Save())
	again, err := journal.Open(dir, atomicfile.Write, nil)
	require.NoError(t, err)
	assert.Equal(t, j.Key, again.Key)
	assert.Equal(t, []int64{1, 2}, []int64{again.Events[0].Seq, again.Events[1].Seq})
	assert.Less(t, len(again.Events[1].OldName), 1100, "a long text is shortened")
	again.Stored(1)
	assert.Len(t, again.Events, 1)

	path := filepath.Join(dir, "agent.json")
	require.NoError(t, os.WriteFile(path, []byte("{"), 0o600))
	_, err = journal.Open(dir, atomicfile.Write, nil)
	assert.ErrorContains(t, err, "move it away")

	full := errors.New("no space")
	j, err = journal.Open(t.TempDir(), func(string, []byte, os.FileMode) error { return full }, nil)
	require.NoError(t, err)
	assert.ErrorIs(t, j.Save(), journal.ErrKept)
}

// machine seals to a machine, by its number.
type machine byte

func (m machine) Seal(key []byte) ([]byte, error) { return append([]byte{byte(m)}, key...), nil }

func (m machine) Unseal(sealed []byte) ([]byte, error) {
	if sealed[0] != byte(m) {
		return nil, errors.New("another machine")
	}
	return sealed[1:], nil
}

// The key of a device lies sealed on its disk, that of an earlier version from its next start on, and opens nowhere
// else.
func TestTheKeyIsSealedToTheMachine(t *testing.T) {
	dir := t.TempDir()
	open, err := journal.Open(dir, atomicfile.Write, nil) // as an earlier version kept it
	require.NoError(t, err)
	require.NoError(t, open.Save())
	sealed, err := journal.Open(dir, atomicfile.Write, machine(1))
	require.NoError(t, err)
	require.NoError(t, sealed.Save())
	kept, err := os.ReadFile(filepath.Join(dir, "agent.json"))
	require.NoError(t, err)
	assert.NotContains(t, string(kept), `"key":"`)
	again, err := journal.Open(dir, atomicfile.Write, machine(1))
	require.NoError(t, err)
	assert.Equal(t, open.Key, again.Key)
	for _, other := range []journal.Sealer{machine(2), nil} {
		_, err = journal.Open(dir, atomicfile.Write, other)
		assert.ErrorIs(t, err, journal.ErrOtherMachine)
	}
}

// Something that is corrected again and again is left alone for a while, and tried again then.
func TestReversions(t *testing.T) {
	f, at := journal.Reversions{}, time.Date(2026, 5, 4, 9, 0, 0, 0, time.UTC)
	guards := []unit.ID{unit.Administrators, unit.Lockout,
		unit.BuiltinOf(principal.Administrator, unit.BuiltinEnabled)}
	again := append(slices.Clone(guards), unit.MinLength)
	for range 2 {
		f.Note(again, at)
	}
	all, _ := f.Repeated(at)
	assert.Empty(t, all)
	f.Note(again, at)
	all, leave := f.Repeated(at.Add(time.Minute))
	assert.ElementsMatch(t, again, all)
	assert.Equal(t, []unit.ID{unit.MinLength}, leave, "what guards the ways in is corrected at every look")
	_, leave = f.Repeated(at.Add(2 * time.Hour))
	assert.Empty(t, leave)
	f.Forget(at.Add(24 * time.Hour))
	assert.Empty(t, f)
}
