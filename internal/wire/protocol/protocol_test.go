package protocol_test

import (
	"crypto/ed25519"
	"encoding/base64"
	"reflect"
	"strings"
	"testing"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/wire/protocol"
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

// Whoever speaks the standard reads what is written here, and is read; and there is one way to write it.
func TestDocumentsAreTheStandards(t *testing.T) {
	key, err := protocol.NewKey()
	require.NoError(t, err)
	for _, embed := range []bool{false, true} {
		document, err := protocol.Sign(
			key,
			protocol.Header{KeyID: key.ID, URL: "/x", Time: at},
			[]byte(`{"a":1}`),
			embed,
		)
		require.NoError(t, err)
		read, err := jose.ParseSignedCompact(document, []jose.SignatureAlgorithm{jose.EdDSA})
		require.NoError(t, err)
		payload, err := read.Verify(key.Public())
		require.NoError(t, err)
		assert.JSONEq(t, `{"a":1}`, string(payload))
		header := read.Signatures[0].Protected
		assert.Equal(t, []any{"/x", "1930371129"}, []any{header.ExtraHeaders["url"], header.ExtraHeaders["ts"]})
		assert.Equal(t, embed, header.JSONWebKey != nil)
		assert.Equal(t, embed, header.KeyID == "")
	}
	options := (&jose.SignerOptions{EmbedJWK: true}).WithHeader("seq", "7")
	signer, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.EdDSA, Key: key.Private}, options)
	require.NoError(t, err)
	signed, err := signer.Sign([]byte("{}"))
	require.NoError(t, err)
	document, err := signed.CompactSerialize()
	require.NoError(t, err)
	read, err := protocol.Parse(document)
	require.NoError(t, err)
	assert.Equal(t, key.Public(), read.Embedded)
	assert.Equal(t, int64(7), read.Header.Sequence)
	payload, err := read.Verify(key.Public())
	require.NoError(t, err)
	assert.Equal(t, "{}", string(payload))

	parts := strings.Split(document, ".")
	with := func(header string) string {
		return base64.RawURLEncoding.EncodeToString([]byte(header)) + "." + parts[1] + "." + parts[2]
	}
	for _, other := range []string{document + ".", document + "\n", document + "=", with(`{"alg":"none"}`),
		with(`{"alg":"HS256"}`),
		with(`{"alg":"EdDSA","crit":["b64"],"b64":false}`), with(`{"alg":"EdDSA","seq":7}`),
		with(`{"alg":"EdDSA","ts":"soon"}`),
		with(`{"alg":"EdDSA","jwk":{"kty":"OKP","crv":"X25519","x":"AA"}}`), with("[]"), " " + document} {
		if read, err := protocol.Parse(other); err == nil {
			_, err = read.Verify(key.Public())
			assert.ErrorIs(t, err, protocol.ErrSignature, other)
		} else {
			assert.ErrorIs(t, err, protocol.ErrMalformed, other)
		}
	}
	last := document[len(document)-1] // has bits that say nothing
	for _, c := range "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-_" {
		if read, err := protocol.Parse(document[:len(document)-1] + string(c)); err == nil && byte(c) != last {
			_, err = read.Verify(key.Public())
			assert.ErrorIs(t, err, protocol.ErrSignature, "a second form of the same document")
		}
	}
}

// BenchmarkSignAndVerify shows what a signed document costs over its signature alone, made and checked.
func BenchmarkSignAndVerify(b *testing.B) {
	key, err := protocol.NewKey()
	require.NoError(b, err)
	payload := []byte(strings.Repeat("a", 500))
	times := func(do func()) time.Duration {
		began := time.Now()
		for range 2000 {
			do()
		}
		return time.Since(began)
	}
	for b.Loop() {
		ours := times(func() {
			document, err := protocol.Sign(
				key,
				protocol.Header{KeyID: key.ID, URL: protocol.PathCheckIn, Time: at},
				payload,
				false,
			)
			require.NoError(b, err)
			signed, err := protocol.Parse(document)
			require.NoError(b, err)
			_, err = signed.Verify(key.Public())
			require.NoError(b, err)
		})
		bare := times(
			func() { require.True(b, ed25519.Verify(key.Public(), payload, ed25519.Sign(key.Private, payload))) },
		)
		b.ReportMetric(bare.Seconds()/ours.Seconds(), "of-bare")
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

// Whatever is asked of a device reaches it: the exact payload has every part of it.
func TestAskingHasEveryPart(t *testing.T) {
	parts := func(of reflect.Type) (names []string) {
		for i := range of.NumField() {
			names = append(names, of.Field(i).Tag.Get("json"))
		}
		return names
	}
	assert.Equal(t, parts(reflect.TypeFor[protocol.DesiredContent]()), parts(reflect.TypeFor[protocol.Asking]()))
}
