package e2e

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What the service stands on is looked at without changing anything, and what is wrong is named with the way out.
func TestWhatTheServiceStandsOnIsChecked(t *testing.T) {
	s := start(t)
	home := t.TempDir()
	check := func(more ...string) (string, error) {
		args := append([]string{"check", "--database", s.config.Database, "--keys", s.config.Keys, "--escrow-keys",
			s.config.EscrowKeys}, more...)
		out, err := rankwardend(home, args...).CombinedOutput()
		return string(out), err
	}
	out, err := check()
	require.NoError(t, err, out)
	assert.Contains(t, out, "ok         database, at the newest schema")
	assert.Contains(t, out, "ok         clock")
	assert.Contains(t, out, "can only add to the trail")
	assert.Contains(t, out, "ok         escrow keys: 1 live")
	assert.Contains(t, out, "attention  there is no recovery key")
	assert.Contains(t, out, "attention  no certificate")

	for _, wrong := range []struct {
		what []string
		want string
	}{
		{[]string{"--listen", "nonsense"}, "must be HOST:PORT"},
		{[]string{"--listen", "0.0.0.0:8470"}, "everybody on the way could read along"},
		{[]string{"--keys", filepath.Join(home, "none.json")}, "there is no key file"},
		{[]string{"--escrow-keys", filepath.Join(home, "none.json")}, "escrow key 1 is live"},
		{[]string{"--database", "postgres://nobody@127.0.0.1:1/none"}, "connecting to the database"},
		{[]string{"--provider-issuer", "https://id.skerryline.example"}, "provider-role"},
		{[]string{"--tls-cert", filepath.Join(home, "none.pem"), "--tls-key", filepath.Join(home, "none.pem")},
			"reading the certificate"},
	} {
		out, err := check(wrong.what...)
		assert.Error(t, err, wrong.want)
		assert.Contains(t, out, wrong.want)
		assert.Contains(t, out, "wrong")
	}
	require.NoError(t, change(t, s.config.Database,
		"update goose_db_version set version_id = version_id - 20 where version_id > 0"))
	out, err = check()
	require.Error(t, err)
	assert.Contains(t, out, "start version 0.14.0 once")
	require.NoError(t, change(t, s.config.Database,
		"update goose_db_version set version_id = version_id + 20 where version_id > 0"))
	require.NoError(t, change(t, s.config.Database,
		"delete from goose_db_version where version_id = (select max(version_id) from goose_db_version)"))
	out, err = check()
	require.NoError(t, err, out)
	assert.Contains(t, out, "attention  the database is 1 behind in migrations")
	left, err := os.ReadDir(home)
	require.NoError(t, err)
	assert.Empty(t, left)
}
