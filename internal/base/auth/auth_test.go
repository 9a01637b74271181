package auth_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/auth"
)

func TestPasswords(t *testing.T) {
	hashing := auth.NewHashing(0)
	_, err := hashing.Hash("elevenchars")
	require.ErrorIs(t, err, auth.ErrWeakPassword)
	hash, err := hashing.Hash("twelve chars")
	require.NoError(t, err)
	assert.NotContains(t, hash, "twelve")
	assert.Contains(t, hash, "$argon2id$v=19$m=65536,", "64 MiB")
	assert.True(t, hashing.Check("twelve chars", hash))
	assert.False(t, hashing.Check("Twelve chars", hash))
	assert.False(t, hashing.Check("no operator has this", ""), "nobody, not even with the decoy's words")
	assert.False(t, hashing.Check("x", "not a hash"))
}

func TestSecretsDiffer(t *testing.T) {
	seen := map[string]bool{}
	for range 200 {
		for _, secret := range []string{auth.NewSecret(), auth.NewPassword()} {
			assert.False(t, seen[secret])
			seen[secret] = true
		}
	}
	password := auth.NewPassword()
	assert.Len(t, strings.Split(password, "-"), 4)
	assert.Len(t, password, 23)
	assert.False(t, strings.ContainsAny(password, "0O1lI"))
	assert.False(t, rights.Role("root").Valid())
}
