package principal

import (
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"strings"
)

// GUID identifies an object of a directory for as long as it exists, whatever it is renamed to.
// The zero GUID is invalid.
type GUID struct{ b [16]byte }

// ErrGUID is matched by every error for an object's identifier.
var ErrGUID = errors.New("not a directory object's identifier")

// ParseGUID reads the text form of RFC 9562, such as 7f2c11f0-9d1e-4b5e-8a55-0f3f2a6f9b21, in
// either case and with or without braces. Its errors match [ErrGUID].
func ParseGUID(s string) (GUID, error) {
	bare := strings.TrimSuffix(strings.TrimPrefix(s, "{"), "}")
	var g GUID
	if len(bare) == 36 && bare[8] == '-' && bare[13] == '-' && bare[18] == '-' && bare[23] == '-' {
		if n, err := hex.Decode(g.b[:], []byte(strings.ReplaceAll(bare, "-", ""))); err == nil && n == 16 &&
			g != (GUID{}) {
			return g, nil
		}
	}
	return GUID{}, fmt.Errorf("%w: %q must look like 7f2c11f0-9d1e-4b5e-8a55-0f3f2a6f9b21", ErrGUID, s)
}

// GUIDFromBytes reads the 16 bytes in which directories keep an objectGUID: the first three parts
// with their low byte first ([MS-DTYP] 2.3.4.2). Another length is an error that matches [ErrGUID].
func GUIDFromBytes(b []byte) (GUID, error) {
	if len(b) != 16 {
		return GUID{}, fmt.Errorf("%w: it has %d bytes instead of 16", ErrGUID, len(b))
	}
	var g GUID
	binary.BigEndian.PutUint32(g.b[0:], binary.LittleEndian.Uint32(b[0:]))
	binary.BigEndian.PutUint16(g.b[4:], binary.LittleEndian.Uint16(b[4:]))
	binary.BigEndian.PutUint16(g.b[6:], binary.LittleEndian.Uint16(b[6:]))
	copy(g.b[8:], b[8:])
	return g, nil
}

func (g GUID) String() string {
	if g == (GUID{}) {
		return ""
	}
	h := hex.EncodeToString(g.b[:])
	return h[:8] + "-" + h[8:12] + "-" + h[12:16] + "-" + h[16:20] + "-" + h[20:]
}

// IsZero reports whether g was never set.
func (g GUID) IsZero() bool { return g == GUID{} }

// MarshalText writes the text form; the zero GUID as "".
func (g GUID) MarshalText() ([]byte, error) { return []byte(g.String()), nil }

// UnmarshalText reads what MarshalText writes. Its errors match [ErrGUID].
func (g *GUID) UnmarshalText(text []byte) error {
	if len(text) == 0 {
		*g = GUID{}
		return nil
	}
	guid, err := ParseGUID(string(text))
	if err == nil {
		*g = guid
	}
	return err
}
