package unit

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"
)

// linuxMaxName is the length of names that wtmp(5) and useradd(8) take, in bytes.
const linuxMaxName = 32

// LinuxRefuses says why an account of Linux cannot have a name that Windows allows, empty where it can; see useradd(8).
// A # stands for a digit.
func LinuxRefuses(name string) string {
	switch {
	case strings.IndexFunc(name, unicode.IsSpace) >= 0:
		return "holds a blank, which names of Linux cannot"
	case len(name) > linuxMaxName:
		return fmt.Sprintf("has %d bytes, and names of Linux have at most %d", len(name), linuxMaxName)
	case strings.ContainsAny(name[:min(1, len(name))], "-+~"):
		return fmt.Sprintf("begins with %q, which names of Linux cannot", name[:1])
	case strings.Trim(name, "0123456789#") == "":
		return "has digits only, which programs of Linux take for an identifier"
	case name == "ALL":
		return "is a word of sudoers for everybody"
	}
	if at := strings.IndexFunc(name, func(r rune) bool {
		return !unicode.IsLetter(r) && !unicode.IsMark(r) && !unicode.IsDigit(r) && !strings.ContainsRune("._-#", r)
	}); at >= 0 {
		r, _ := utf8.DecodeRuneInString(name[at:])
		return fmt.Sprintf("holds %q, which programs of Linux take for something else", string(r))
	}
	return ""
}
