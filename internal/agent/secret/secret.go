// Package secret makes passwords, and the parts of names that are drawn.
package secret

import (
	"crypto/rand"
	"errors"
	"fmt"
	"math/big"
	"strings"
	"unicode"

	"github.com/sethvargo/go-diceware/diceware"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/rotation"
	"rankwarden.example/core/unit"
)

// Random draws evenly from 0 to n-1.
type Random func(n int) int

// System draws from the operating system's random source.
func System(n int) int {
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

// Unknown is a password that nobody is to learn, long enough for any rules of the device.
func Unknown(random Random, minLength int) string {
	return characters(random, max(unknownLength, minLength), unit.AllClasses, false)
}

// Name puts a digit for each # of a pattern.
func Name(random Random, pattern string) string {
	return strings.Map(func(r rune) rune {
		if r == '#' {
			return rune('0' + random(10))
		}
		return r
	}, pattern)
}

// passphrase draws words, capitalised and joined; words with a hyphen of their own are drawn again.
func passphrase(random Random, words int, joint string) string {
	list := diceware.WordListEffLarge()
	drawn := make([]string, words)
	for i := range drawn {
		word := "-"
		for strings.Contains(word, "-") {
			throws := 0
			for range list.Digits() {
				throws = throws*10 + random(6) + 1
			}
			word = list.WordAt(throws)
		}
		drawn[i] = strings.ToUpper(word[:1]) + word[1:]
	}
	return strings.Join(drawn, joint)
}

// New draws a password as a rule says, and checks it against the rules in force on the device. One that holds the name
// of its account is drawn again where the device would refuse it ([rotation.HoldsName]).
func New(random Random, rule unit.Secret, name, fullName string, inForce *drift.Passwords) (string, error) {
	for range secretDraws {
		var secret string
		if rule.Style == unit.Words {
			secret = passphrase(random, rule.Words, rule.Joint())
		} else {
			secret = characters(random, rule.Length, rule.Use, rule.AvoidLookalikes)
		}
		if inForce != nil && inForce.MinLength != nil && len(secret) < *inForce.MinLength {
			if rule.Style == unit.Words {
				continue // longer words may come
			}
			return "", fmt.Errorf(
				"a password of %d characters is shorter than the %d that the device demands; make the secret longer",
				len(secret),
				*inForce.MinLength,
			)
		}
		if inForce != nil && inForce.Complexity != nil && *inForce.Complexity {
			if kindsOf(secret) < complexKinds {
				return "", errTooPlain
			}
			if rotation.HoldsName(secret, name, fullName) {
				continue
			}
		}
		return secret, nil
	}
	return "", errNoSecret
}

const (
	secretDraws  = 100
	complexKinds = 3 // that a complex password has at least
)

var (
	errTooPlain = errors.New(
		"a password by the rule has fewer than three classes of characters, which the device demands; add a class to " +
			"the secret",
	)
	errNoSecret = errors.New(
		"no password by the rule was long enough for the device, or all held the name of the account or a part of " +
			"its full name; make the secret longer",
	)
)

// kindsOf counts the classes of characters in a secret.
func kindsOf(secret string) (n int) {
	for _, class := range []string{"abcdefghijklmnopqrstuvwxyz", "ABCDEFGHIJKLMNOPQRSTUVWXYZ", "0123456789"} {
		if strings.ContainsAny(secret, class) {
			n++
		}
	}
	if strings.IndexFunc(secret, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) }) >= 0 {
		n++
	}
	return n
}
