package rotation

import (
	"strings"
	"unicode/utf8"

	"rankwarden.example/core/text"
)

// shortestPart is the least number of characters of a name that a complex password may not hold.
const shortestPart = 3

// HoldsName reports whether a password holds the name of its account or a part of its full name, which the complexity
// rule of Windows refuses: the whole account name, and each part of the full name between commas, periods, hyphens,
// underscores, blanks, number signs and tabs, of three characters and more, without case.
func HoldsName(password, name, fullName string) bool {
	password = text.Fold(password)
	parts := strings.FieldsFunc(fullName, func(r rune) bool { return strings.ContainsRune(",.-_ #\t", r) })
	for _, part := range append(parts, name) {
		if utf8.RuneCountInString(part) >= shortestPart && strings.Contains(password, text.Fold(part)) {
			return true
		}
	}
	return false
}
