package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// waitsFor reports whether something of a kind waits for somebody, as Watch says.
func waitsFor(s *service, kind string) bool {
	o, err := s.owner.Overview(s.t.Context())
	require.NoError(s.t, err)
	for _, d := range o.Decisions {
		if d.Kind == kind {
			return true
		}
	}
	return false
}

// Whether the copy of the recovery key opens what is sealed to it is tried monthly, with a word on paper; no password
// is told by it, and no other key answers rightly.
func TestTheDrillOfTheRecoveryKey(t *testing.T) {
	s := startTogether(t)
	dir := t.TempDir()
	offline, drill := filepath.Join(dir, "recovery.json"), filepath.Join(dir, "drill.json")
	_, says, err := s.daemon("keys", "drill")
	require.Error(t, err)
	assert.Contains(t, says, "no recovery key is live")
	s.mustRun("keys", "new", "--recovery", offline)
	require.NoError(t, os.WriteFile(drill, []byte(s.mustRun("keys", "challenge", "2")), 0o600))
	answer := func() string { return strings.TrimSpace(s.mustRun("answer", drill, "--key", offline)) }
	s.mustRun("keys", "prove", "2", "--answer", answer())
	_, says, err = s.daemon("keys", "drill")
	require.Error(t, err)
	assert.Contains(t, says, "nothing to open")
	s.restart()
	s.publish("base", strings.Replace(desk, "%THEN%", "nothing", 1), 500, "everything")
	s.enrolled("SKL-TKT-001")
	s.later(36 * 24 * time.Hour)
	require.True(t, waitsFor(s, "drill"))

	_, says, err = s.daemon("keys", "drill", "--answer", "AAAA-BBBB-CCCC-DDDD")
	require.Error(t, err)
	assert.Contains(t, says, "no drill of the last week")
	begun := s.mustRun("keys", "drill")
	assert.NotContains(t, begun, s.current("SKL-TKT-001"))
	require.NoError(t, os.WriteFile(drill, []byte(begun), 0o600))
	word := answer()
	assert.Regexp(t, `^([A-Z2-7]{4}-){3}[A-Z2-7]{4}$`, word)
	_, says, err = s.daemon("keys", "drill", "--answer", "AAAA-BBBB-CCCC-DDDD")
	require.Error(t, err)
	assert.Contains(t, says, "not the answer to the latest drill")
	_, says, err = s.daemon("answer", drill, "--key", s.config.EscrowKeys)
	require.Error(t, err, "the key of the service is another one")
	assert.Contains(t, says, "not here")
	require.NoError(t, os.WriteFile(drill+"2", []byte(`{"format": "tide"}`), 0o600))
	_, says, err = s.daemon("answer", drill+"2", "--key", offline)
	require.Error(t, err)
	assert.Contains(t, says, "no challenge")

	assert.Contains(t, s.mustRun("keys", "drill", "--answer", strings.ToLower(strings.ReplaceAll(word, "-", " "))),
		"opened 1 of 1 passwords")
	_, _, err = s.daemon("keys", "drill", "--answer", word)
	require.Error(t, err, "it was taken")
	keys, err := s.owner.EscrowKeys(t.Context())
	require.NoError(t, err)
	require.NotNil(t, keys[1].DrilledAt)
	told, err := query[string](t, s.config.Database,
		"select string_agg(action || ' ' || outcome, ', ' order by seq) from audit_entries where action like 'drill.%'")
	require.NoError(t, err)
	assert.Contains(t, told, "drill.begun done, drill.passed refused, drill.passed done")
}
