package directory

import (
	"bytes"
	"errors"
	"fmt"
	"strings"

	"github.com/go-ldap/ldap/v3"
	"github.com/go-ldap/ldif"
)

// ErrLDIF is matched by the errors for a file that is no LDIF.
var ErrLDIF = errors.New("this is no LDIF that can be read")

// ParseLDIF reads the people and groups of an LDIF file (RFC 2849) with content records. Values given
// by URL are refused: they would be read from the service's own disk.
func ParseLDIF(source []byte) ([]Entry, []SkippedEntry, error) {
	line := 0
	for text := range bytes.Lines(source) {
		line++
		if name, rest, found := strings.Cut(string(text), ":"); found && !strings.HasPrefix(name, " ") &&
			!strings.HasPrefix(name, "#") &&
			strings.HasPrefix(rest, "<") {
			return nil, nil, fmt.Errorf(
				"%w: line %d gives a value by URL; write the value itself, in base64 after two colons",
				ErrLDIF,
				line,
			)
		}
	}
	var file ldif.LDIF
	if err := ldif.Unmarshal(bytes.NewReader(source), &file); err != nil {
		var at *ldif.ParseError
		if errors.As(err, &at) {
			return nil, nil, fmt.Errorf("%w: line %d: %s", ErrLDIF, at.Line, at.Message)
		}
		return nil, nil, fmt.Errorf("%w: %w", ErrLDIF, err)
	}
	var objects []*ldap.Entry
	for _, record := range file.Entries {
		if record.Entry == nil {
			return nil, nil, fmt.Errorf("%w: it holds changes; export entries instead", ErrLDIF)
		}
		objects = append(objects, record.Entry)
	}
	entries, skipped := take(objects)
	return entries, skipped, nil
}
