// Package text holds the rules for names: how they compare, and which characters they may not hold.
package text

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

// Fold is the form in which names compare "without case": Unicode simple lower-casing of NFC, composed again,
// since some letters have a composed form in lower case only.
func Fold(s string) string {
	for i := range len(s) {
		if c := s[i]; c >= utf8.RuneSelf || 'A' <= c && c <= 'Z' {
			return norm.NFC.String(strings.Map(unicode.ToLower, norm.NFC.String(s)))
		}
	}
	return s
}

// Set is a list in order, each text once. It is never nil.
func Set(list []string) []string {
	set := append([]string{}, list...)
	slices.Sort(set)
	return slices.Compact(set)
}

// NFC is the composed form in which all text of a policy is kept.
func NFC(s string) string { return norm.NFC.String(s) }

// forbidden in the names of local accounts and groups by the operating systems.
const forbidden = `"/\[]:;|=,+*?<>@`

// CheckName says what keeps s from being the name of a local account or group of at most max
// characters. Its errors continue a sentence that begins with "the name".
func CheckName(s string, max int) error {
	n := utf8.RuneCountInString(s)
	switch {
	case n == 0:
		return errors.New("is empty; write a name")
	case n > max:
		return fmt.Errorf("has %d characters; at most %d are possible", n, max)
	}
	if err := CheckVisible(s); err != nil {
		return err
	}
	if i := strings.IndexAny(s, forbidden); i >= 0 {
		return fmt.Errorf(
			"holds %q; none of %s is allowed in a name",
			s[i:i+1],
			strings.Join(strings.Split(forbidden, ""), " "),
		)
	}
	if strings.Trim(s, " .") != s {
		return errors.New("begins or ends with a blank or a full stop; leave it out")
	}
	return CheckWords(s)
}

// CheckVisible refuses characters that a reader cannot see or that reorder what is shown.
// Tabs and line breaks are refused too; see [CheckProse] for text of several lines.
func CheckVisible(s string) error { return check(s, "") }

// CheckProse is [CheckVisible] and [CheckWords], with their errors, for running text, where tabs and line breaks are
// welcome.
func CheckProse(s string) error {
	if err := check(s, "\n\t"); err != nil {
		return err
	}
	return CheckWords(s)
}

func check(s, allowed string) error {
	if !utf8.ValidString(s) {
		return errors.New("is not valid UTF-8; save the file as UTF-8")
	}
	for _, r := range s {
		if strings.ContainsRune(allowed, r) {
			continue
		}
		if what := hidden(r); what != "" {
			return fmt.Errorf("holds the %s U+%04X; type it again by hand, or take it out", what, r)
		}
	}
	return nil
}

func hidden(r rune) string {
	switch {
	case unicode.IsControl(r):
		return "control character"
	case unicode.Is(unicode.Bidi_Control, r):
		return "text-direction character"
	case unicode.In(r, unicode.Cf, unicode.Zl, unicode.Zp, unicode.Co, unicode.Other_Default_Ignorable_Code_Point):
		return "invisible character"
	case unicode.IsSpace(r) && r != ' ':
		return "unusual blank"
	}
	return ""
}

// Nearest is the word of known that s was most likely meant to be, or "" when none is close.
func Nearest(s string, known []string) string {
	best, limit := "", 1+utf8.RuneCountInString(s)/3
	for _, k := range known {
		if d := Distance(Fold(s), Fold(k)); d <= limit {
			best, limit = k, d-1
		}
	}
	return best
}

// Distance is the number of single-character edits between a and b (Levenshtein 1966).
func Distance(a, b string) int {
	ra, rb := []rune(a), []rune(b)
	row := make([]int, len(rb)+1)
	for j := range row {
		row[j] = j
	}
	for i, x := range ra {
		diagonal := row[0]
		row[0] = i + 1
		for j, y := range rb {
			above := row[j+1]
			cost := diagonal
			if x != y {
				cost = 1 + min(diagonal, above, row[j])
			}
			row[j+1], diagonal = cost, above
		}
	}
	return row[len(rb)]
}
