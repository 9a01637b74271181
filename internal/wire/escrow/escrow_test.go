package escrow_test

import (
	"encoding/hex"
	"encoding/json"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/principal"
	"rankwarden.example/internal/wire/escrow"
	"rankwarden.example/internal/wire/protocol"
)

var about = escrow.About{
	Organisation: "Skerry Line",
	Device:       "01DEVICE",
	Target:       principal.FromKey("keeper"),
	Account:      principal.MustSID("S-1-5-21-7-8-9-1001"),
	Epoch:        1,
	Number:       7,
	Key:          1,
	NameBefore:   "keeper-1234",
	NameAfter:    "keeper-9876",
}

const password = "Anchor-Beacon-Cable-Dory-Ebb-Fathom"

// Whatever is changed of what a sealed password is about, or of its bytes, it does not open.
func TestSealedOnlyOpensAsWhatItIs(t *testing.T) {
	private, err := escrow.NewPrivate()
	require.NoError(t, err)
	sealed, err := escrow.Seal(private.Public(), about, password)
	require.NoError(t, err)
	assert.Equal(t, len(password), escrow.SealedLength(sealed))
	opened, err := private.Open(about, sealed)
	require.NoError(t, err)
	assert.Equal(t, password, opened)
	again, err := escrow.Seal(private.Public(), about, password)
	require.NoError(t, err)
	assert.NotEqual(t, sealed, again)

	for what, other := range map[string]func(*escrow.About){
		"organisation": func(a *escrow.About) { a.Organisation = "Other Line" },
		"device":       func(a *escrow.About) { a.Device = "02DEVICE" },
		"target":       func(a *escrow.About) { a.Target = principal.Administrator },
		"account":      func(a *escrow.About) { a.Account = principal.MustSID("S-1-5-21-7-8-9-500") },
		"epoch":        func(a *escrow.About) { a.Epoch = 2 }, "number": func(a *escrow.About) { a.Number = 8 },
		"key":         func(a *escrow.About) { a.Key = 2 },
		"name before": func(a *escrow.About) { a.NameBefore = "x" },
		"name after":  func(a *escrow.About) { a.NameAfter = "x" },
	} {
		changed := about
		other(&changed)
		_, err := private.Open(changed, sealed)
		assert.ErrorIs(t, err, escrow.ErrSealed, what)
	}
	for i := 0; i < len(sealed); i += 97 {
		bent := append([]byte{}, sealed...)
		bent[i] ^= 1
		_, err := private.Open(about, bent)
		assert.ErrorIs(t, err, escrow.ErrSealed, "byte %d", i)
	}
	for _, cut := range []int{0, 1, 1135, len(sealed) - 1} {
		_, err := private.Open(about, sealed[:cut])
		assert.ErrorIs(t, err, escrow.ErrSealed)
	}
	stranger, err := escrow.NewPrivate()
	require.NoError(t, err)
	_, err = stranger.Open(about, sealed)
	require.ErrorIs(t, err, escrow.ErrSealed)
	_, err = escrow.Seal([]byte("no key"), about, password)
	assert.ErrorContains(t, err, "sealing to key 1")
}

// What was sealed once opens for ever: the file is for other implementations as well.
func TestVector(t *testing.T) {
	data, err := os.ReadFile("testdata/vector.json")
	require.NoError(t, err)
	var v struct {
		Ring     json.RawMessage
		About    escrow.About
		Sealed   string
		Password string
	}
	require.NoError(t, json.Unmarshal(data, &v))
	ring, err := escrow.ParseRing(v.Ring)
	require.NoError(t, err)
	sealed, err := hex.DecodeString(v.Sealed)
	require.NoError(t, err)
	opened, err := ring.Open(v.About, sealed)
	require.NoError(t, err)
	assert.Equal(t, v.Password, opened)
}

func TestRing(t *testing.T) {
	path := filepath.Join(t.TempDir(), "escrow.json")
	none, err := escrow.ReadRing(path)
	require.NoError(t, err)
	assert.False(t, none.Holds(1))
	_, err = none.Open(about, nil)
	assert.ErrorIs(t, err, escrow.ErrNoKey)

	private, err := escrow.NewPrivate()
	require.NoError(t, err)
	r := escrow.Ring{Keys: []escrow.RingKey{{Number: 3, Use: protocol.UseEscrow, Private: private}}}
	require.NoError(t, r.Write(path))
	read, err := escrow.ReadRing(path)
	require.NoError(t, err)
	assert.EqualValues(t, 3, read.Highest())
	info, err := os.Stat(path)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	require.NoError(t, os.Chmod(path, 0o640))
	_, err = escrow.ReadRing(path)
	assert.ErrorContains(t, err, "chmod 600")

	data, err := r.Bytes()
	require.NoError(t, err)
	for says, bad := range map[string]string{"not a file of escrow keys": "{}",
		"stands there twice": `{"format": "rankwarden.escrow-keys/1", "keys": [` + keyOf(t, data) + "," +
			keyOf(t, data) + "]}"} {
		_, err := escrow.ParseRing([]byte(bad))
		assert.ErrorContains(t, err, says)
	}
}

func keyOf(t *testing.T, ring []byte) string {
	var file struct{ Keys []json.RawMessage }
	require.NoError(t, json.Unmarshal(ring, &file))
	return string(file.Keys[0])
}

func BenchmarkSeal(b *testing.B) {
	private, err := escrow.NewPrivate()
	require.NoError(b, err)
	public := private.Public()
	for b.Loop() {
		if _, err := escrow.Seal(public, about, password); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(float64(b.N)/b.Elapsed().Seconds(), "sealed/s")
}

func BenchmarkOpen(b *testing.B) {
	private, err := escrow.NewPrivate()
	require.NoError(b, err)
	sealed, err := escrow.Seal(private.Public(), about, password)
	require.NoError(b, err)
	for b.Loop() {
		if _, err := private.Open(about, sealed); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(float64(b.N)/b.Elapsed().Seconds(), "opened/s")
}
