package wire_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/wire"
)

var at = time.Date(2031, 3, 4, 6, 12, 9, 0, time.UTC)

func TestSignedDocuments(t *testing.T) {
	key, err := wire.NewKey()
	require.NoError(t, err)
	other, err := wire.NewKey()
	require.NoError(t, err)
	sent := wire.Header{KeyID: key.ID, URL: wire.PathCheckIn, Time: at, Sequence: 7, Answers: "sha-256:00"}
	document, err := wire.Sign(key, sent, wire.WaitAnswer{Time: at, Ready: true}, false)
	require.NoError(t, err)

	var read wire.WaitAnswer
	header, err := wire.Open(document, key.Public(), &read)
	require.NoError(t, err)
	assert.Equal(t, sent, header)
	assert.True(t, read.Ready)

	_, err = wire.Open(document, other.Public(), &read)
	assert.ErrorIs(t, err, wire.ErrSignature)
	parts := strings.Split(document, ".")
	forged, err := wire.Sign(other, sent, wire.WaitAnswer{Ready: false}, false)
	require.NoError(t, err)
	parts[1] = strings.Split(forged, ".")[1]
	_, err = wire.Open(strings.Join(parts, "."), key.Public(), &read)
	assert.ErrorIs(t, err, wire.ErrSignature)
	for _, nonsense := range []string{"", "{}", "a.b.c", "eyJhbGciOiJub25lIn0.e30."} {
		_, err = wire.Parse(nonsense)
		assert.ErrorIs(t, err, wire.ErrMalformed, nonsense)
	}
}

func TestKeyringAndKeyList(t *testing.T) {
	path := filepath.Join(t.TempDir(), "keys.json")
	_, err := wire.LoadKeyring(path)
	require.ErrorIs(t, err, wire.ErrNoKeyring)
	_, err = os.Stat(path)
	require.ErrorIs(t, err, os.ErrNotExist, "reading keys never makes any")
	made, err := wire.CreateKeyring(path)
	require.NoError(t, err)
	_, err = wire.CreateKeyring(path)
	require.ErrorContains(t, err, "never overwritten")
	again, err := wire.LoadKeyring(path)
	require.NoError(t, err)
	assert.Equal(t, made, again)

	document, err := made.SignList("Skerry Line", 1, 3, nil, at)
	require.NoError(t, err)
	list, err := wire.OpenKeyList(document, made.Root.ID)
	require.NoError(t, err)
	key, known := list.Signing(made.Signing.ID)
	assert.True(t, known)
	assert.True(t, made.Signing.Public().Equal(key))
	_, err = wire.OpenKeyList(document, made.Signing.ID)
	assert.ErrorIs(t, err, wire.ErrRoot, "a device that trusts another root")

	require.NoError(t, os.Chmod(path, 0o644))
	_, err = wire.LoadKeyring(path)
	assert.ErrorContains(t, err, "chmod 600")
}

func TestToken(t *testing.T) {
	token := wire.Token{ID: "01J", Secret: "s-_", RootFingerprint: "fp"}
	read, err := wire.ParseToken(" " + token.String() + "\n")
	require.NoError(t, err)
	assert.Equal(t, token, read)
	_, err = wire.ParseToken("rwe.01J.s")
	assert.ErrorContains(t, err, "copy it whole")
}
