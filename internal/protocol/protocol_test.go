package protocol_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/protocol"
)

var at = time.Date(2031, 3, 4, 6, 12, 9, 0, time.UTC)

func TestSignedDocuments(t *testing.T) {
	key, err := protocol.NewKey()
	require.NoError(t, err)
	other, err := protocol.NewKey()
	require.NoError(t, err)
	sent := protocol.Header{KeyID: key.ID, URL: protocol.PathCheckIn, Time: at, Sequence: 7, Answers: "sha-256:00"}
	document, err := protocol.Sign(key, sent, protocol.WaitAnswer{Time: at, Ready: true}, false)
	require.NoError(t, err)

	var read protocol.WaitAnswer
	header, err := protocol.Open(document, key.Public(), &read)
	require.NoError(t, err)
	assert.Equal(t, sent, header)
	assert.True(t, read.Ready)

	_, err = protocol.Open(document, other.Public(), &read)
	assert.ErrorIs(t, err, protocol.ErrSignature)
	parts := strings.Split(document, ".")
	forged, err := protocol.Sign(other, sent, protocol.WaitAnswer{Ready: false}, false)
	require.NoError(t, err)
	parts[1] = strings.Split(forged, ".")[1]
	_, err = protocol.Open(strings.Join(parts, "."), key.Public(), &read)
	assert.ErrorIs(t, err, protocol.ErrSignature)
	for _, nonsense := range []string{"", "{}", "a.b.c", "eyJhbGciOiJub25lIn0.e30."} {
		_, err = protocol.Parse(nonsense)
		assert.ErrorIs(t, err, protocol.ErrMalformed, nonsense)
	}
}

func TestToken(t *testing.T) {
	token := protocol.Token{ID: "01J", Secret: "s-_", RootFingerprint: "fp"}
	read, err := protocol.ParseToken(" " + token.String() + "\n")
	require.NoError(t, err)
	assert.Equal(t, token, read)
	_, err = protocol.ParseToken("rwe.01J.s")
	assert.ErrorContains(t, err, "copy it whole")
}
