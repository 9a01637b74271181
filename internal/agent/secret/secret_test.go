package secret

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/unit"
)

func inForce(minLength int, complexity bool) *drift.Passwords {
	return &drift.Passwords{MinLength: &minLength, Complexity: &complexity}
}

// What is drawn is what the rule asks for, and what the device will take.
func TestNewSecret(t *testing.T) {
	words := unit.Secret{Style: unit.Words, Words: 6}
	seen := map[string]bool{}
	for range 2000 { // of the list's words one in 1944 has a hyphen of its own
		secret, err := New(System, words, "keeper", "", inForce(14, true))
		require.NoError(t, err)
		assert.Len(t, strings.Split(secret, "-"), 6)
		assert.False(t, seen[secret])
		seen[secret] = true
	}
	// Nothing but ones is the first word of the list, whatever the throw.
	secret, err := New(func(int) int { return 0 }, unit.Secret{Style: unit.Words, Words: 2}, "keeper", "", nil)
	require.NoError(t, err)
	assert.Equal(t, "Abacus-Abacus", secret)

	characters := unit.Secret{Style: unit.Characters, Length: 24, Use: unit.AllClasses, AvoidLookalikes: true}
	for range 200 {
		secret, err := New(System, characters, "keeper", "", inForce(24, true))
		require.NoError(t, err)
		assert.Len(t, secret, 24)
		assert.False(t, strings.ContainsAny(secret, "0Oo1lI|5S2Z8B,.;:"))
		assert.Equal(t, 4, kindsOf(secret))
	}
}

func TestSecretsThatTheDeviceWouldRefuse(t *testing.T) {
	for says, c := range map[string]struct {
		rule unit.Secret
		has  *drift.Passwords
	}{
		"a password of 12 characters is shorter than the 20": {unit.Secret{Style: unit.Characters, Length: 12,
			Use: unit.AllClasses}, inForce(20, false)},
		"fewer than three classes of characters": {unit.Secret{Style: unit.Characters, Length: 30,
			Use: []string{"lower", "digits"}}, inForce(20, true)},
		"make the secret longer": {unit.Secret{Style: unit.Words, Words: 5},
			inForce(128, false)},
	} {
		_, err := New(System, c.rule, "keeper", "", c.has)
		assert.ErrorContains(t, err, says)
	}
	// One that holds the account's name is drawn again, for ever if need be.
	joined, err := New(System, unit.Secret{Style: unit.Words, Words: 5, Separator: "."}, "mooring", "",
		inForce(0, true))
	require.NoError(t, err)
	assert.Regexp(t, `^[A-Z][a-z]+(\.[A-Z][a-z]+){4}$`, joined)
	none := func(int) int { return 0 }
	for _, owner := range [][2]string{{"abacus", ""}, {"keeper", "The Abacus"}} {
		_, err = New(none, unit.Secret{Style: unit.Words, Words: 5}, owner[0], owner[1], inForce(0, true))
		assert.ErrorIs(t, err, errNoSecret)
	}
	_, err = New(none, unit.Secret{Style: unit.Words, Words: 5}, "a", "", inForce(0, true))
	assert.NoError(t, err, "a name of fewer than three characters is not looked for")
}
