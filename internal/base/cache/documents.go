// Package cache keeps what never changes once it was written, so that each is read and parsed once: the documents of
// published policies, and what is settled once for all devices that meet the same assignments.
package cache

import (
	"errors"
	"fmt"
	"sync"

	"rankwarden.example/core/policy"
	"rankwarden.example/internal/store"
)

// ErrUnreadable is given for a published document that cannot be read any more.
var ErrUnreadable = errors.New("the published policy cannot be read")

// Revisions reads revisions of policies.
type Revisions interface {
	PolicyRevision(policyID string, number int) (store.PolicyRevision, error)
}

// Documents are the documents of revisions. The zero Documents is ready to use.
type Documents struct {
	known sync.Map // *policy.Document by revisionOf
}

type revisionOf struct {
	policy string // identifier
	number int
}

// Forget lets go of everything: the database went back, and a number may come to mean another document.
func (d *Documents) Forget() { d.known.Clear() }

// Of gives the document of a revision of a policy, by the policy's identifier. The error matches [ErrUnreadable]
// when it is there but cannot be read.
func (d *Documents) Of(tx Revisions, policyID string, revision int) (*policy.Document, error) {
	k := revisionOf{policyID, revision}
	if doc, ok := d.known.Load(k); ok {
		return doc.(*policy.Document), nil
	}
	r, err := tx.PolicyRevision(policyID, revision)
	if err != nil {
		return nil, err
	}
	doc, problems := policy.Parse([]byte(r.Source), nil)
	if !policy.Usable(problems) {
		return nil, fmt.Errorf("%w: revision %d: %v", ErrUnreadable, r.Number, problems)
	}
	d.known.Store(k, doc)
	return doc, nil
}
