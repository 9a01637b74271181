package unit

import (
	"slices"
	"strconv"
	"strings"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
)

// othersKey is that of [Others] in its family; no managed account can have it.
const othersKey = "others"

// Others is what becomes of local accounts that no policy names.
var Others = named(Accounts, othersKey)

// OthersValue says what becomes of local accounts that nobody named.
type OthersValue struct {
	State        State `json:"state"`         // [Disabled]
	GraceMinutes int   `json:"grace_minutes"` // from when the device first saw the account under the rule
	// Allow are those that are left alone, sorted: names in which * stands for anything, or ranges of the last part of
	// the identifier, as [AllowedRange] reads them.
	Allow []string `json:"allow"`
}

// Equal implements [Value].
func (v OthersValue) Equal(other Value) bool {
	o, ok := other.(OthersValue)
	return ok && v.State == o.State && v.GraceMinutes == o.GraceMinutes && slices.Equal(v.Allow, o.Allow)
}

// Allows reports whether an account of a name and an identifier is left alone.
func (v OthersValue) Allows(name string, sid principal.SID) bool {
	return slices.ContainsFunc(v.Allow, func(entry string) bool {
		if from, to, is := AllowedRange(entry); is {
			return from <= sid.RelativeID() && sid.RelativeID() <= to
		}
		return matches(text.Fold(entry), text.Fold(name))
	})
}

// rangePrefix begins a range of identifiers.
const rangePrefix = "id:"

// IsRange reports whether an entry of [OthersValue.Allow] is meant as a range of identifiers.
func IsRange(entry string) bool { return strings.HasPrefix(entry, rangePrefix) }

// AllowedRange reads a range such as id:30000-39999, or id:30000 for one alone; false for what is none.
func AllowedRange(entry string) (from, to uint32, is bool) {
	rest, is := strings.CutPrefix(entry, rangePrefix)
	if !is {
		return 0, 0, false
	}
	first, last, two := strings.Cut(rest, "-")
	if !two {
		last = first
	}
	low, errLow := strconv.ParseUint(first, 10, 32)
	high, errHigh := strconv.ParseUint(last, 10, 32)
	if errLow != nil || errHigh != nil || low > high {
		return 0, 0, false
	}
	return uint32(low), uint32(high), true
}

// matches reports whether a name fits a pattern in which * stands for any characters, none too.
func matches(pattern, name string) bool {
	parts := strings.Split(pattern, "*")
	first, rest := parts[0], parts[1:]
	name, begins := strings.CutPrefix(name, first)
	if len(rest) == 0 {
		return begins && name == ""
	}
	last := rest[len(rest)-1]
	for _, part := range rest[:len(rest)-1] {
		at := strings.Index(name, part)
		if at < 0 {
			return false
		}
		name = name[at+len(part):]
	}
	return begins && strings.HasSuffix(name, last)
}
