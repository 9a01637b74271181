package e2e

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"rankwarden.example/e2e/cuts"
)

// Whatever is cut, lost, late or repeated, and whichever side comes back from a backup, a password in
// escrow opens the account. make cuts does this for any number of seeds.
func TestCutsLoseNoPassword(t *testing.T) {
	for seed := range uint64(8) {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			t.Parallel()
			require.NoError(t, cuts.Run(t.Context(), cluster, seed))
		})
	}
}
