package principal

import (
	"encoding/binary"
	"errors"
	"fmt"
	"strconv"
	"strings"
)

// SID is a security identifier in its string form, S-R-A-S1-…-Sn, in upper case.
// The grammar is that of [MS-DTYP] 2.4.2.1. The zero SID is invalid.
type SID struct{ text string }

// ErrSID is matched by every error of [ParseSID].
var ErrSID = errors.New("not a security identifier")

// maxSubAuthorities is the operating systems' limit, [MS-DTYP] 2.4.2.
const maxSubAuthorities = 15

// ParseSID reads a security identifier such as S-1-5-21-7-8-9-1104, in either case. Its errors match [ErrSID].
func ParseSID(text string) (SID, error) {
	sid := strings.ToUpper(text) // itself when it is in upper case already
	rest, ok := strings.CutPrefix(sid, "S-1-")
	if !ok || !strings.Contains(rest, "-") {
		return SID{}, fmt.Errorf("%w: %q must look like S-1-5-21-1-2-3-1104", ErrSID, text)
	}
	if n := strings.Count(rest, "-"); n > maxSubAuthorities {
		return SID{}, fmt.Errorf(
			"%w: %q has %d sub-authorities, at most %d are possible",
			ErrSID,
			text,
			n,
			maxSubAuthorities,
		)
	}
	bits := 48 // the authority is six bytes, each sub-authority four
	for more := true; more; bits = 32 {
		var part string
		part, rest, more = strings.Cut(rest, "-")
		if _, err := strconv.ParseUint(part, 10, bits); err != nil || part[0] == '+' ||
			len(part) > 1 && part[0] == '0' {
			return SID{}, fmt.Errorf(
				"%w: part %q of %q is not a plain number of at most %d bits",
				ErrSID,
				part,
				text,
				bits,
			)
		}
	}
	return SID{sid}, nil
}

// SIDFromBytes reads the packed form of [MS-DTYP] 2.4.2.2 in which directories keep an objectSid. Its errors
// match [ErrSID].
func SIDFromBytes(b []byte) (SID, error) {
	if len(b) < 8 || b[0] != 1 || int(b[1]) > maxSubAuthorities || len(b) != 8+4*int(b[1]) {
		return SID{}, fmt.Errorf("%w: %d bytes are no packed identifier", ErrSID, len(b))
	}
	authority := uint64(0)
	for _, x := range b[2:8] {
		authority = authority<<8 | uint64(x)
	}
	parts := []string{"S", "1", strconv.FormatUint(authority, 10)}
	for at := 8; at < len(b); at += 4 {
		parts = append(parts, strconv.FormatUint(uint64(binary.LittleEndian.Uint32(b[at:])), 10))
	}
	return ParseSID(strings.Join(parts, "-"))
}

// MustSID is [ParseSID] for constants; it panics on a malformed one.
func MustSID(text string) SID {
	sid, err := ParseSID(text)
	if err != nil {
		panic(err)
	}
	return sid
}

func (s SID) String() string { return s.text }

// IsZero reports whether s was never set.
func (s SID) IsZero() bool { return s.text == "" }

// RelativeID is the last sub-authority: 500 for the built-in administrator, 501 for the guest.
func (s SID) RelativeID() uint32 {
	n, _ := strconv.ParseUint(s.text[strings.LastIndexByte(s.text, '-')+1:], 10, 32)
	return uint32(n)
}

// Compare orders identifiers by their text.
func (s SID) Compare(o SID) int { return strings.Compare(s.text, o.text) }

// MarshalText writes the identifier in upper case; the zero SID as "".
func (s SID) MarshalText() ([]byte, error) { return []byte(s.text), nil }

// UnmarshalText reads what MarshalText writes, in either case. Its errors match [ErrSID].
func (s *SID) UnmarshalText(text []byte) error {
	if len(text) == 0 {
		*s = SID{}
		return nil
	}
	sid, err := ParseSID(string(text))
	if err == nil {
		*s = sid
	}
	return err
}

// BuiltinDomain is the identifier of a local group that every device has, S-1-5-32-ID.
func BuiltinDomain(id uint32) SID { return SID{"S-1-5-32-" + strconv.FormatUint(uint64(id), 10)} }
