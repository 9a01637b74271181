package keyring_test

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/wire/keyring"
	"rankwarden.example/internal/wire/protocol"
)

var at = time.Date(2031, 3, 4, 6, 12, 9, 0, time.UTC)

func TestRingAndKeyList(t *testing.T) {
	path := filepath.Join(t.TempDir(), "keys.json")
	_, err := keyring.Load(path)
	require.ErrorIs(t, err, keyring.ErrNone)
	_, err = os.Stat(path)
	require.ErrorIs(t, err, os.ErrNotExist, "reading keys never makes any")
	made, err := keyring.Create(path)
	require.NoError(t, err)
	_, err = keyring.Create(path)
	require.ErrorContains(t, err, "never overwritten")
	again, err := keyring.Load(path)
	require.NoError(t, err)
	assert.Equal(t, made, again)

	document, err := made.SignList("Skerry Line", 1, 3, nil, at)
	require.NoError(t, err)
	list, err := protocol.OpenKeyList(document, made.Root.ID)
	require.NoError(t, err)
	key, known := list.Signing(made.Signing.ID)
	assert.True(t, known)
	assert.True(t, made.Signing.Public().Equal(key))
	_, err = protocol.OpenKeyList(document, made.Signing.ID)
	assert.ErrorIs(t, err, protocol.ErrRoot, "a device that trusts another root")

	require.NoError(t, os.Chmod(path, 0o644))
	_, err = keyring.Load(path)
	assert.ErrorContains(t, err, "chmod 600")
}
