package escrow_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/wire/escrow"
	"rankwarden.example/internal/wire/protocol"
)

// A key that was damaged does not answer a drill rightly, even where it opens a part of it.
func TestADrillNeedsEverything(t *testing.T) {
	private, err := escrow.NewPrivate()
	require.NoError(t, err)
	ring := escrow.Ring{Keys: []escrow.RingKey{{Number: 3, Use: protocol.UseRecovery, Private: private}}}
	d := escrow.Drill{Format: escrow.DrillFormat, Nonce: []byte("nonce")}
	for i, secret := range []string{"Anchor", "Beacon"} {
		about := about
		about.Key, about.Number = 3, int64(i)
		sealed, err := escrow.Seal(private.Public(), about, secret)
		require.NoError(t, err)
		d.Sealed = append(d.Sealed, escrow.DrillItem{About: about, Sealed: sealed})
	}
	word, err := d.Answer(ring)
	require.NoError(t, err)
	assert.Equal(t, escrow.DrillWord([]byte("nonce"), []string{"Anchor", "Beacon"}), word)
	assert.NotEqual(t, word, escrow.DrillWord([]byte("nonce"), []string{"AnchorB", "eacon"}))
	d.Sealed[1].Sealed[3]++
	_, err = d.Answer(ring)
	require.ErrorContains(t, err, "password 2 of 2")
	text, err := json.Marshal(d)
	require.NoError(t, err)
	assert.NotContains(t, string(text), "Anchor")
}
