//go:build linux

package linux

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Hashes as crypt(3) of the system makes them are read without it.
func TestHashesOfTheSystem(t *testing.T) {
	const password = "Tide-table-7306"
	for _, hash := range []string{
		"$y$j9T$abcdefgh12345678$QWqh81j0FseiZQ/8IzTu3rDzI1NsKGOLrdTQDNrUrQA",
		"$6$saltsalt$4r/MDb9fAKWy5RUQPCePFIqXzO024a2VADAkLwJ3ekOXarPPA3OHfzSOE/ViY0roCgEnFNSjB9hgbLe3qquou/",
		"$5$rounds=6000$saltsalt$KJlbYlQwX.i2H.9iRqcNFGnpyChOBEF4oNWnN27MDm0",
		"$1$saltsalt$yysN1ja7Xql9hvI0jSFsF/",
		"$2b$05$abcdefghijklmnopqrstuuVoFAl/7/pfIEYKAMkL4Q9MDJVY7WHH.",
	} {
		is, err := opens(hash, password)
		require.NoError(t, err, hash)
		assert.True(t, is, hash)
		is, err = opens(hash, "Tide-table-7307")
		require.NoError(t, err, hash)
		assert.False(t, is, hash)
	}
	for _, hash := range []string{"$gy$j9T$abcdefgh12345678$O2wYEvRq3JRStqNn", "$y$j", "x", "$7$", "$6$"} {
		_, err := opens(hash, password)
		assert.Error(t, err, hash)
	}
	for _, others := range []string{"!" + yescryptMark + "j9T$x$y", "$6$saltsalt$x"} {
		hash, err := database{people: []person{{hash: others}}}.hashed(password)
		require.NoError(t, err)
		assert.Equal(t, strings.Contains(others, yescryptMark), strings.HasPrefix(hash, yescryptMark))
		is, err := opens(hash, password)
		require.NoError(t, err)
		assert.True(t, is)
	}
}
