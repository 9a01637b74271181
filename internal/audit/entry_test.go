package audit_test

import (
	"crypto/sha256"
	"encoding/json"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/audit"
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

// Entries from before the version was written down still verify, and a version cannot be changed unseen.
func TestVersionsOfTheHash(t *testing.T) {
	old := audit.Entry{Seq: 1, At: time.Unix(1e9, 0).UTC(), Actor: "asta", Action: "policy.saved", Object: "base",
		Before: json.RawMessage("null"), After: json.RawMessage("null"), Outcome: audit.Done, Prev: []byte{}}
	data, err := json.Marshal(old)
	require.NoError(t, err)
	require.NotContains(t, string(data), "version")
	sum := sha256.Sum256(data)
	old.Hash = sum[:]
	next := audit.Entry{
		At:      time.Unix(1e9, 0),
		Actor:   "asta",
		Action:  "policy.published",
		Object:  "base",
		Outcome: audit.Done,
	}
	require.NoError(t, next.Link(old.Seq, old.Hash))
	last, err := verify([]audit.Entry{old, next})
	require.NoError(t, err)
	assert.EqualValues(t, 2, last)
	next.Version = 0
	_, err = verify([]audit.Entry{old, next})
	assert.ErrorContains(t, err, "broken at entry 2")
}
