package text

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// MaxAccountName is the longest name of a local account in characters, a limit of the operating systems.
const MaxAccountName = 20

// CheckAccountName says what keeps a pattern from being the name of a local account. Each # stands
// for one digit that the device draws. Its errors continue a sentence that begins with "the name".
func CheckAccountName(pattern string) error {
	if err := CheckName(pattern, MaxAccountName); err != nil {
		return err
	}
	if strings.Trim(pattern, ". 0123456789#") == "" {
		return errors.New("has only dots, blanks and digits; add a letter")
	}
	return checkOneScript(pattern)
}

// CheckWords refuses words with letters of several scripts, where one can look like another: whoever agrees to a name
// must be able to read it. Words of different scripts may stand beside each other. Its errors continue a sentence that
// begins with the text.
func CheckWords(s string) error {
	for word := range strings.FieldsFuncSeq(s, func(r rune) bool { return !unicode.In(r, unicode.L, unicode.M) }) {
		if err := checkOneScript(word); err != nil {
			return err
		}
	}
	return nil
}

// families are sets of scripts that are written together (Unicode Technical Standard 39, 5.1).
var families = [][]string{{"Han", "Hiragana", "Katakana"}, {"Han", "Hangul"}, {"Han", "Bopomofo"}}

// checkOneScript refuses letters of several scripts in one name, where one can look like another.
func checkOneScript(s string) error {
	first := ""
	var possible [][]string
	for _, r := range s {
		script := scriptOf(r)
		switch {
		case script == "":
		case first == "":
			first = script
			possible = append(possible, []string{script})
			for _, family := range families {
				if slices.Contains(family, script) {
					possible = append(possible, family)
				}
			}
		default:
			var left [][]string
			for _, family := range possible {
				if slices.Contains(family, script) {
					left = append(left, family)
				}
			}
			if len(left) == 0 {
				return fmt.Errorf(
					"mixes scripts: %q (U+%04X) is %s among %s letters; type it again in one script",
					r,
					r,
					script,
					first,
				)
			}
			possible = left
		}
	}
	return nil
}

func scriptOf(r rune) string {
	if r < utf8.RuneSelf {
		if unicode.IsLetter(r) {
			return "Latin"
		}
		return ""
	}
	for name, table := range unicode.Scripts {
		if name != "Common" && name != "Inherited" && unicode.Is(table, r) {
			return name
		}
	}
	return ""
}
