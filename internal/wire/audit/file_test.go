package audit_test

import (
	"bytes"
	"encoding/json"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/wire/audit"
)

// A line is believed only as an export writes it. Whoever reads it by eye, or with another program, must not find
// something else than what was proved.
func TestALineIsAsAnExportWritesIt(t *testing.T) {
	e := audit.Entry{At: time.Date(2026, 5, 4, 8, 0, 0, 123456000, time.UTC), Actor: "asta", Action: "policy.saved",
		Object: "<base> & more", After: json.RawMessage(`{"version": 1, "name": "base"}`), Outcome: audit.Done}
	require.NoError(t, e.Link(0, []byte{}))
	var written bytes.Buffer
	require.NoError(t, audit.WriteEntry(&written, e))
	line := strings.TrimSuffix(written.String(), "\n")
	verify := func(line string) error {
		_, err := audit.VerifyFile(strings.NewReader(line+"\n{\"entries\":1}\n"), "", nil)
		return err
	}
	require.NoError(t, verify(line))
	for name, mangled := range map[string]string{
		"a second actor before":   strings.Replace(line, `"actor":`, `"actor":"egil","actor":`, 1),
		"a second actor behind":   strings.Replace(line, `"actor":"asta"`, `"actor":"egil","x":0,"actor":"asta"`, 1),
		"an actor in capitals":    strings.Replace(line, `"actor":`, `"Actor":"egil","actor":`, 1),
		"a field more":            strings.Replace(line, `{`, `{"approved_by":"egil",`, 1),
		"a value within":          strings.Replace(line, `"version":1`, `"version":1,"version":1`, 1),
		"a blank":                 strings.Replace(line, `,`, `, `, 1),
		"an escaped letter":       strings.Replace(line, `"asta"`, `"\u0061sta"`, 1),
		"the time in other words": strings.Replace(line, `.123456Z`, `.1234560Z`, 1),
	} {
		require.NotEqual(t, line, mangled, name)
		var broken *audit.Broken
		assert.ErrorAs(t, verify(mangled), &broken, name)
	}
}
