package audit_test

import (
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/wire/audit"
)

func verify(list []audit.Entry) (int64, error) {
	return audit.Verify(func(yield func(audit.Entry, error) bool) {
		for _, e := range list {
			if !yield(e, nil) {
				return
			}
		}
	})
}

func TestTrailShowsEveryTampering(t *testing.T) {
	var trail []audit.Entry
	prev := audit.Entry{Hash: []byte{}}
	for _, object := range []string{"base", "desks", "screens", "bridge"} {
		e := audit.Entry{At: time.Unix(1e9, 123456789), Actor: "asta", Action: "policy.saved", Object: object,
			After: json.RawMessage(`{"version": 1, "name":"` + object + `"}`), Outcome: audit.Done}
		require.NoError(t, e.Link(prev.Seq, prev.Hash))
		trail = append(trail, e)
		prev = e
	}
	// A database keeps microseconds, and writes JSON in its own way.
	trail[1].At = trail[1].At.Truncate(time.Microsecond)
	trail[1].After = json.RawMessage(`{"name": "desks", "version": 1}`)
	last, err := verify(trail)
	require.NoError(t, err)
	assert.EqualValues(t, 4, last)

	for name, tamper := range map[string]func(l []audit.Entry) []audit.Entry{
		"changed":   func(l []audit.Entry) []audit.Entry { l[1].Actor = "somebody"; return l },
		"value":     func(l []audit.Entry) []audit.Entry { l[1].After = json.RawMessage(`{}`); return l },
		"taken out": func(l []audit.Entry) []audit.Entry { return slices.Delete(l, 1, 2) },
		"swapped":   func(l []audit.Entry) []audit.Entry { l[1], l[2] = l[2], l[1]; return l },
		"rehashed":  func(l []audit.Entry) []audit.Entry { l[1].Actor = "x"; _ = l[1].Link(1, l[0].Hash); return l },
	} {
		_, err := verify(tamper(slices.Clone(trail)))
		assert.ErrorContains(t, err, "broken at entry", name)
	}
}

// Entries of former versions of the hash still verify, one of today verifies by a published standard, and a version
// cannot be changed unseen.
func TestVersionsOfTheHash(t *testing.T) {
	var trail []audit.Entry
	prev := []byte{}
	// What each version hashed, written by hand; the last one by RFC 8785, sections 3.2.2 and 3.2.3.
	for version, hashed := range []string{
		`{"seq":1,"at":"2001-09-09T01:46:40Z","actor":"asta","address":"","action":"policy.saved","object":"b","before":null,` +
			`"after":{"a":1,"name":"é"},"reason":"","outcome":"done","prev":"%s"}`,
		`{"version":1,"seq":2,"at":"2001-09-09T01:46:40Z","actor":"asta","address":"","action":"policy.saved","object":"b",` +
			`"before":null,"after":{"a":1,"name":"é"},"reason":"","outcome":"done","prev":"%s"}`,
		`{"action":"policy.saved","actor":"asta","address":"","after":{"a":1,"name":"é"},"at":"2001-09-09T01:46:40Z",` +
			`"before":null,"object":"b","outcome":"done","prev":"%s","reason":"","seq":3,"version":2}`,
	} {
		sum := sha256.Sum256(fmt.Appendf(nil, hashed, base64.StdEncoding.EncodeToString(prev)))
		trail = append(
			trail,
			audit.Entry{Version: version, Seq: int64(version + 1), At: time.Unix(1e9, 0), Actor: "asta",
				Action: "policy.saved", Object: "b", After: json.RawMessage(`{"name": "\u00e9", "a": 1}`),
				Outcome: audit.Done,
				Prev:    prev, Hash: sum[:]},
		)
		prev = sum[:]
	}
	last, err := verify(trail)
	require.NoError(t, err)
	assert.EqualValues(t, 3, last)

	next := audit.Entry{
		At:      time.Unix(1e9, 0),
		Actor:   "asta",
		Action:  "policy.published",
		Object:  "b",
		Outcome: audit.Done,
	}
	require.NoError(t, next.Link(3, prev))
	assert.Equal(t, 2, next.Version)
	next.Version = 0
	_, err = verify(append(trail, next))
	assert.ErrorContains(t, err, "broken at entry 4")
}
