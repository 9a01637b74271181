// Package audit chains the entries of the audit trail: each holds the hash of the one before, so
// that an entry that was changed, taken out or put in between breaks every later one.
package audit

import (
	"bytes"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"iter"
	"time"

	"github.com/gowebpki/jcs"
)

// Outcome says whether what was tried was done.
type Outcome string

// The outcomes.
const (
	Done    Outcome = "done"
	Refused Outcome = "refused"
)

// Actors that are no operators.
const (
	Service   = "service"   // what the service does by itself
	Strangers = "strangers" // attempts of people who were not signed in, summed up by the minute
)

// Entry is one thing that an operator or the service did. Before and After never hold a secret.
type Entry struct {
	// Version is that of the hash: what is hashed, and how. 0 is the first one, which was not written down.
	Version int             `json:"version,omitempty"`
	Seq     int64           `json:"seq"`
	At      time.Time       `json:"at"`
	Actor   string          `json:"actor"`
	Address string          `json:"address"`
	Action  string          `json:"action"`
	Object  string          `json:"object"`
	Before  json.RawMessage `json:"before"`
	After   json.RawMessage `json:"after"`
	Reason  string          `json:"reason"`
	Outcome Outcome         `json:"outcome"`
	Prev    []byte          `json:"prev"`
	Hash    []byte          `json:"-"`
}

// version is that of the hashes of new entries: SHA-256 over the canonical JSON (RFC 8785) of an entry, with times in
// UTC and microseconds, so that any program can verify what was exported. Versions 0 and 1 hashed the keys in the order
// of [Entry], and canonical Before and After.
const version = 2

// Link gives the entry its place after the one with the given sequence and hash, both zero for the first, and computes
// its own hash. The error is about Before or After that is not JSON.
func (e *Entry) Link(seq int64, prev []byte) error {
	e.Version, e.Seq, e.Prev = version, seq+1, append([]byte{}, prev...)
	hash, err := e.sum()
	e.Hash = hash
	return err
}

func (e *Entry) sum() ([]byte, error) {
	c := *e
	c.At = c.At.UTC().Truncate(time.Microsecond) // what PostgreSQL keeps
	if c.Version < 2 {
		for _, part := range []*json.RawMessage{&c.Before, &c.After} {
			sorted, err := sortKeys(*part)
			if err != nil {
				return nil, fmt.Errorf("audit entry %d: %w", e.Seq, err)
			}
			*part = sorted
		}
	}
	data, err := json.Marshal(c)
	if err == nil && c.Version >= 2 {
		data, err = jcs.Transform(data)
	}
	if err != nil {
		return nil, fmt.Errorf("audit entry %d: %w", e.Seq, err)
	}
	sum := sha256.Sum256(data)
	return sum[:], nil
}

// sortKeys sorts keys and drops blanks, as versions 0 and 1 of the hash had it.
func sortKeys(raw json.RawMessage) (json.RawMessage, error) {
	if len(raw) == 0 {
		return json.RawMessage("null"), nil
	}
	decoder := json.NewDecoder(bytes.NewReader(raw))
	decoder.UseNumber()
	var value any
	if err := decoder.Decode(&value); err != nil {
		return nil, err
	}
	return json.Marshal(value)
}

// Verify walks a trail from its first entry and gives the sequence of the last; its error names the
// first entry that does not fit.
func Verify(entries iter.Seq2[Entry, error]) (last int64, err error) {
	chain := ChainAfter(0, []byte{}, nil)
	for e, err := range entries {
		if err == nil {
			err = chain.Follow(e)
		}
		if err != nil {
			return chain.Last, err
		}
	}
	return chain.Last, nil
}
