package escrow

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base32"
	"encoding/binary"
	"fmt"
	"slices"
	"strings"
)

// DrillFormat is the format of a drill.
const DrillFormat = "rankwarden.drill/1"

// Drill proves, when it is answered, that a private key opens passwords that are sealed to it, without saying them.
type Drill struct {
	Format string      `json:"format"`
	ID     string      `json:"id"`
	Key    int64       `json:"key"`
	Nonce  []byte      `json:"nonce"`
	Sealed []DrillItem `json:"sealed"`
}

// DrillItem is a password as it is sealed to the key.
type DrillItem struct {
	About  About  `json:"about"`
	Sealed []byte `json:"sealed"`
}

// Answer opens everything in the drill, and gives the word for that.
func (d Drill) Answer(copy Opener) (string, error) {
	secrets := make([]string, len(d.Sealed))
	for i, item := range d.Sealed {
		secret, err := copy.Open(item.About, item.Sealed)
		if err != nil {
			return "", fmt.Errorf("password %d of %d (%s): %w", i+1, len(d.Sealed), item.About.Target, err)
		}
		secrets[i] = secret
	}
	return DrillWord(d.Nonce, secrets), nil
}

// DrillWord is the word for having opened some passwords, in their order: 80 bits of an HMAC-SHA-256 of them, in groups
// that can be written on paper.
func DrillWord(nonce []byte, secrets []string) string {
	mac := hmac.New(sha256.New, nonce)
	for _, s := range secrets {
		mac.Write(append(binary.AppendUvarint(nil, uint64(len(s))), s...))
	}
	word := base32.StdEncoding.EncodeToString(mac.Sum(nil)[:10])
	return strings.Join(slices.Collect(chunks(word, 4)), "-")
}

func chunks(s string, size int) func(yield func(string) bool) {
	return func(yield func(string) bool) {
		for ; s != ""; s = s[min(size, len(s)):] {
			if !yield(s[:min(size, len(s))]) {
				return
			}
		}
	}
}

// PlainWord is a word as it is compared, whatever somebody typed between its groups.
func PlainWord(typed string) string {
	return strings.Map(func(r rune) rune {
		if r == '-' || r == ' ' {
			return -1
		}
		return r
	}, strings.ToUpper(strings.TrimSpace(typed)))
}
