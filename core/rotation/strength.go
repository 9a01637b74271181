// Package rotation says what a secret must be and how strong it is.
package rotation

import (
	"math"
	"strings"
)

// WordListSize is the number of words a passphrase is drawn from: five throws of a die, less the four words
// that have a hyphen of their own, since hyphens stand between words.
const WordListSize = 7776 - 4

// ShortestWord is the least number of characters of a word of that list.
const ShortestWord = 3

// MinBits is the least strength a secret may have, in bits.
const MinBits = 64

// Symbols that every keyboard has and no command line has to escape twice.
const symbols = "!#$%&()*+,-./:;<=>?@[]^_{}~"

var classes = map[string]string{
	"lower": "abcdefghijklmnopqrstuvwxyz", "upper": "ABCDEFGHIJKLMNOPQRSTUVWXYZ", "digits": "0123456789",
	"symbols": symbols,
}

// lookalikes are characters that are taken for one another when a password is read aloud or typed
// from a screen.
const lookalikes = "0Oo1lI|5S2Z8B,.;:"

// Alphabet is the set of characters of one class, named as in a policy.
func Alphabet(class string, avoidLookalikes bool) string {
	all := classes[class]
	if !avoidLookalikes {
		return all
	}
	return strings.Map(func(r rune) rune {
		if strings.ContainsRune(lookalikes, r) {
			return -1
		}
		return r
	}, all)
}

// CharacterBits is the strength, in bits, of a secret of length characters drawn evenly from all
// strings over the classes that have at least one character of each. The number of such strings
// is counted by inclusion and exclusion of the classes.
func CharacterBits(length int, use []string, avoidLookalikes bool) float64 {
	total := 0
	sizes := make([]int, len(use))
	for i, class := range use {
		sizes[i] = len(Alphabet(class, avoidLookalikes))
		total += sizes[i]
	}
	if total == 0 || length < len(use) {
		return 0
	}
	share := 0.0 // of all strings over the whole alphabet, those with every class
	for without := range 1 << len(use) {
		left, sign := total, 1.0
		for i, size := range sizes {
			if without>>i&1 == 1 {
				left -= size
				sign = -sign
			}
		}
		share += sign * math.Pow(float64(left)/float64(total), float64(length))
	}
	return float64(length)*math.Log2(float64(total)) + math.Log2(share)
}

// WordBits is the strength, in bits, of a passphrase of that many words.
func WordBits(words int) float64 { return float64(words) * math.Log2(WordListSize) }
