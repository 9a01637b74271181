package agent

import (
	"crypto/rand"
	"math/big"
	"strings"

	"rankwarden.example/core/policy"
	"rankwarden.example/core/rotation"
)

// Random draws evenly from 0 to n-1.
type Random func(n int) int

// SystemRandom draws from the operating system's random source.
func SystemRandom(n int) int {
	drawn, err := rand.Int(rand.Reader, big.NewInt(int64(n)))
	if err != nil {
		panic(err) // crypto/rand ends the program itself before this can happen
	}
	return int(drawn.Int64())
}

// characters draws a secret with at least one character of each class, evenly among all such
// secrets: one that lacks a class is drawn again.
func characters(random Random, length int, use []string, avoidLookalikes bool) string {
	var alphabet strings.Builder
	for _, class := range use {
		alphabet.WriteString(rotation.Alphabet(class, avoidLookalikes))
	}
	all := alphabet.String()
	for {
		secret := make([]byte, length)
		for i := range secret {
			secret[i] = all[random(len(all))]
		}
		if hasEvery(string(secret), use, avoidLookalikes) {
			return string(secret)
		}
	}
}

func hasEvery(secret string, use []string, avoidLookalikes bool) bool {
	for _, class := range use {
		if !strings.ContainsAny(secret, rotation.Alphabet(class, avoidLookalikes)) {
			return false
		}
	}
	return true
}

// unknownLength is the length of a password that nobody is to learn, in characters.
const unknownLength = 40

// unknownSecret is a password that nobody is to learn, long enough for any rules of the device.
func unknownSecret(random Random, minLength int) string {
	return characters(random, max(unknownLength, minLength), policy.AllClasses, false)
}

// drawName puts a digit for each # of a pattern.
func drawName(random Random, pattern string) string {
	return strings.Map(func(r rune) rune {
		if r == '#' {
			return rune('0' + random(10))
		}
		return r
	}, pattern)
}
