package rotation_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"rankwarden.example/core/rotation"
)

var classes = []string{"lower", "upper", "digits", "symbols"}

// The strength of short secrets is that of counting them one by one.
func TestBitsAreThoseOfCounting(t *testing.T) {
	for _, use := range [][]string{{"digits"}, {"digits", "lower"}, {"digits", "lower", "upper"}} {
		var alphabet strings.Builder
		for _, class := range use {
			alphabet.WriteString(rotation.Alphabet(class, true))
		}
		for length := len(use); length <= 3; length++ {
			assert.InDelta(
				t,
				math.Log2(float64(count("", alphabet.String(), length, use))),
				rotation.CharacterBits(length, use, true),
				1e-9,
				"%d of %v",
				length,
				use,
			)
		}
	}
}

// count counts the strings over an alphabet that have at least one character of each class.
func count(prefix, alphabet string, length int, use []string) int {
	if length == 0 {
		for _, class := range use {
			if !strings.ContainsAny(prefix, rotation.Alphabet(class, true)) {
				return 0
			}
		}
		return 1
	}
	n := 0
	for _, c := range alphabet {
		n += count(prefix+string(c), alphabet, length-1, use)
	}
	return n
}

func TestStrengthGrows(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		use := rapid.SliceOfNDistinct(rapid.SampledFrom(classes), 1, 4, rapid.ID[string]).Draw(t, "use")
		length := rapid.IntRange(12, 119).Draw(t, "length")
		bits := rotation.CharacterBits(length, use, true)
		assert.Greater(t, rotation.CharacterBits(length+1, use, true), bits, "with its length")
		assert.Greater(t, rotation.CharacterBits(length, use, false), bits, "with what looks alike")
		assert.False(t, math.IsNaN(bits) || math.IsInf(bits, 0))
	})
	assert.Zero(t, rotation.CharacterBits(12, nil, true))
	assert.Zero(t, rotation.CharacterBits(1, classes, true), "too short to have every class")
	assert.InDelta(t, 77.5, rotation.WordBits(6), 0.1)
}

func TestAlphabets(t *testing.T) {
	seen := map[rune]string{}
	for _, class := range classes {
		for _, c := range rotation.Alphabet(class, false) {
			assert.Empty(t, seen[c], "%c is in two classes", c)
			seen[c] = class
		}
		assert.NotEmpty(t, rotation.Alphabet(class, true))
		assert.False(t, strings.ContainsAny(rotation.Alphabet(class, true), "0O1lI|"), class)
	}
}

func ExampleCharacterBits() {
	fmt.Printf("%.0f bits\n", rotation.CharacterBits(24, []string{"lower", "upper", "digits", "symbols"}, true))
	// Output: 148 bits
}
