package text_test

import (
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"rankwarden.example/core/text"
)

func TestAccountNames(t *testing.T) {
	for _, good := range []string{"quay-zero", "keeper-######", "Ülo", "страж-##", "倉庫のカギ", "守衛한글", "a b", "###-###.a",
		"twenty-characters-it"} {
		assert.NoError(t, text.CheckAccountName(good), good)
	}
	for name, says := range map[string]string{
		"":                      "is empty",
		"twenty-one-characters": "at most 20",
		" a":                    "begins or ends",
		"a.":                    "begins or ends",
		"##":                    "add a letter", ". 12#": "begins or ends", "1.2 3#": "add a letter",
		"a@b": `"@"`, `a"b`: `"\""`, "a*": `"*"`,
		"kееper":      "U+0435",        // two letters are Cyrillic
		"αlpha":       "U+006C",        // one is Greek
		"кeeper":      "mixes scripts", // the first is Cyrillic
		"カg":          "mixes scripts",
		"a\u200bb":    "U+200B",
		"a\u202eb":    "U+202E",
		"a\tb":        "control character U+0009",
		"a\u00a0b":    "unusual blank U+00A0",
		"a\ufeffb":    "U+FEFF",
		"a\xffb":      "not valid UTF-8",
		"a\U000e0041": "invisible character",
	} {
		assert.ErrorContains(t, text.CheckAccountName(name), says, "%q", name)
	}
}

func TestFold(t *testing.T) {
	for s, want := range map[string]string{"Quay-ZERO": "quay-zero", "quay": "quay", "C\u0327A": "ça", "ÅSE": "åse",
		"ΣΑΣ": "σας", "T\u0308": "\u1e97"} {
		if s == "ΣΑΣ" {
			want = "σασ" // simple lower-casing knows no final sigma
		}
		assert.Equal(t, want, text.Fold(s))
	}
	rapid.Check(t, func(t *rapid.T) {
		s := rapid.String().Draw(t, "s")
		once := text.Fold(s)
		assert.Equal(t, once, text.Fold(once), "folding twice changes nothing")
		if utf8.ValidString(s) {
			assert.Equal(t, once, text.Fold(text.NFC(s)))
		}
	})
}

func TestDistance(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		word := rapid.StringMatching(`[a-c]{0,6}`)
		a, b, c := word.Draw(t, "a"), word.Draw(t, "b"), word.Draw(t, "c")
		assert.Equal(t, text.Distance(a, b), text.Distance(b, a))
		assert.Equal(t, a == b, text.Distance(a, b) == 0)
		assert.LessOrEqual(t, text.Distance(a, c), text.Distance(a, b)+text.Distance(b, c))
		assert.LessOrEqual(t, text.Distance(a, b), max(len(a), len(b)))
	})
	require.Equal(t, 3, text.Distance("harbour", "arbours-"))
}
