// Package cache keeps what never changes once it was written, so that each is read and parsed once: the documents of
// policies, and what is settled once for all devices that meet the same assignments.
package cache

import (
	"crypto/sha256"
	"errors"
	"fmt"
	"sync"

	lru "github.com/hashicorp/golang-lru/v2"

	"rankwarden.example/core/policy"
	"rankwarden.example/internal/store"
)

// ErrUnreadable is given for a document that was stored and cannot be read any more.
var ErrUnreadable = errors.New("the policy cannot be read")

// Revisions reads revisions of policies.
type Revisions interface {
	PolicyRevision(policyID string, number int) (store.PolicyRevision, error)
}

// Documents are parsed documents: of revisions, and of the sources that were used last. A document is shared and must
// not be altered. What a directory has to say of a document is not among it.
type Documents struct {
	revisions *sync.Map // *policy.Document by revisionOf
	sources   *lru.Cache[[sha256.Size]byte, *policy.Document]
	trying    bool // revisions that are read may never come to be
}

type revisionOf struct {
	policy string // identifier
	number int
}

// What is kept of documents that may belong to no revision: enough for a few large changes, and little enough that
// somebody who previews one long document after the other fills no memory.
const (
	mostSources   = 512
	longestSource = 16 << 10 // bytes; longer ones are parsed each time
)

// NewDocuments keeps nothing yet.
func NewDocuments() *Documents {
	sources, _ := lru.New[[sha256.Size]byte, *policy.Document](mostSources) // the size is positive
	return &Documents{revisions: &sync.Map{}, sources: sources}
}

// Forget forgets every revision: the database went back, and a number may come to mean another document.
func (d *Documents) Forget() { d.revisions.Clear() }

// Trying gives the documents to a transaction that may be taken back: no revision that is read in it is remembered by
// its number.
func (d *Documents) Trying() *Documents { return &Documents{d.revisions, d.sources, true} }

// Of gives the document of a revision of a policy, by the policy's identifier. The error matches [ErrUnreadable]
// when it is there but cannot be read.
func (d *Documents) Of(tx Revisions, policyID string, revision int) (*policy.Document, error) {
	k := revisionOf{policyID, revision}
	if doc, ok := d.revisions.Load(k); ok {
		return doc.(*policy.Document), nil
	}
	r, err := tx.PolicyRevision(policyID, revision)
	if err != nil {
		return nil, err
	}
	doc, err := d.Parse(r.Source)
	if err != nil {
		return nil, fmt.Errorf("revision %d: %w", r.Number, err)
	}
	if !d.trying {
		d.revisions.Store(k, doc)
	}
	return doc, nil
}

// Parse gives the document of a source that was found usable when it was stored. The error matches [ErrUnreadable].
func (d *Documents) Parse(source string) (*policy.Document, error) {
	k := sha256.Sum256([]byte(source))
	if doc, ok := d.sources.Get(k); ok {
		return doc, nil
	}
	doc, problems := policy.Parse([]byte(source), nil)
	if !policy.Usable(problems) {
		return nil, fmt.Errorf("%w: %v", ErrUnreadable, problems)
	}
	d.Keep(source, doc)
	return doc, nil
}

// Keep keeps the document of a source that was parsed elsewhere.
func (d *Documents) Keep(source string, doc *policy.Document) {
	if len(source) <= longestSource {
		d.sources.Add(sha256.Sum256([]byte(source)), doc)
	}
}
