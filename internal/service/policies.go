package service

import (
	"context"
	"errors"
	"fmt"
	"sync"

	"rankwarden.example/core/policy"
	"rankwarden.example/core/present"
	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/store"
)

// parse checks a document against the directory, if one was ever imported.
func parse(tx store.Tx, source string) (*policy.Document, []policy.Problem, error) {
	doc, problems := policy.Parse([]byte(source), nil)
	if doc == nil || len(doc.Principals()) == 0 {
		return doc, problems, nil
	}
	if empty, err := tx.DirectoryIsEmpty(); err != nil || empty {
		return doc, problems, err
	}
	directory, err := directoryNear(tx, doc.Principals())
	if err != nil {
		return nil, nil, err
	}
	doc, problems = policy.Parse([]byte(source), directory)
	return doc, problems, nil
}

// CheckPolicy gives the problems of a document, and in words what it asks for once it can be used.
func (s *Service) CheckPolicy(ctx context.Context, source string) ([]policy.Problem, []present.Line, error) {
	doc, problems, err := parse(s.Store.With(ctx), source)
	asks := []present.Line{}
	if err == nil && policy.Usable(problems) {
		asks = present.Policy(doc.Normalise(nil))
	}
	return append([]policy.Problem{}, problems...), asks, err
}

// parseUsable parses a document and refuses one with errors; warnings are given beside it.
func parseUsable(tx store.Tx, source string) (*policy.Document, []policy.Problem, error) {
	doc, problems, err := parse(tx, source)
	if err != nil {
		return nil, nil, err
	}
	if !policy.Usable(problems) {
		e := failf(Invalid, "the policy cannot be used; nothing was stored. Fix the problems and send it again").code("policy_unusable")
		e.Problems = problems
		return nil, problems, e
	}
	return doc, problems, nil
}

// Policies lists a page.
func (s *Service) Policies(ctx context.Context, search string, p store.Page) ([]store.Policy, string, error) {
	return s.Store.With(ctx).ListPolicies(search, p)
}

// Policy finds one by name.
func (s *Service) Policy(ctx context.Context, name string) (store.Policy, error) {
	p, err := s.Store.With(ctx).Policy(name)
	return p, named(err, "policy", name)
}

// NewPolicy stores the first draft of a policy; the document gives its name.
func (s *Service) NewPolicy(ctx context.Context, who auth.Identity, source string) (store.Policy, []policy.Problem, error) {
	doc, problems, err := parseUsable(s.Store.With(ctx), source)
	if err != nil {
		return store.Policy{}, problems, err
	}
	now := s.Now()
	p := store.Policy{ID: store.NewID(now), Name: doc.Name, Title: doc.Title, Source: source, Version: 1,
		CreatedAt: now, UpdatedAt: now, UpdatedBy: who.Name}
	err = s.InTx(ctx, func(tx store.Tx) error {
		if err := tx.AddPolicy(p); err != nil {
			return err
		}
		return s.policySaved(tx, who, p, nil)
	})
	return p, problems, named(err, "policy", doc.Name)
}

func (s *Service) policySaved(tx store.Tx, who auth.Identity, p store.Policy, before any) error {
	if err := tx.Notify(store.Notice{Topic: store.TopicEdits, IDs: []string{p.Name}}); err != nil {
		return err
	}
	return s.audit(tx, who, record{action: "policy.saved", object: p.Name, before: before, after: map[string]any{"version": p.Version, "document": p.Source}})
}

// SavePolicy stores a draft over the version its author read.
func (s *Service) SavePolicy(ctx context.Context, who auth.Identity, name, source string, over int64) (store.Policy, []policy.Problem, error) {
	doc, problems, err := parseUsable(s.Store.With(ctx), source)
	if err != nil {
		return store.Policy{}, problems, err
	}
	if doc.Name != name {
		return store.Policy{}, problems, failf(Invalid, "the document is named %q, but it was sent for the policy %q; a policy keeps its name. Change the name back, or save it as a new policy", doc.Name, name).at("name")
	}
	var p store.Policy
	err = s.InTx(ctx, func(tx store.Tx) (err error) {
		if p, err = tx.Policy(name); err != nil {
			return err
		}
		before := map[string]any{"version": p.Version, "document": p.Source}
		p.Title, p.Source, p.Version, p.UpdatedAt, p.UpdatedBy = doc.Title, source, over+1, s.Now(), who.Name
		if err := tx.SetPolicy(p, over); err != nil {
			return err
		}
		return s.policySaved(tx, who, p, before)
	})
	return p, problems, named(err, "policy", name)
}

// Published says what a publish did.
type Published struct {
	Policy   store.Policy
	Moved    []string // assignments that now have the new revision in force
	Problems []policy.Problem
}

// PublishPolicy makes the draft that the author read the next revision, and moves every assignment
// of the policy to it, for all of their devices at once.
func (s *Service) PublishPolicy(ctx context.Context, who auth.Identity, name string, over int64) (Published, error) {
	var out Published
	err := s.InTx(ctx, func(tx store.Tx) error {
		p, err := tx.Policy(name)
		if err != nil {
			return err
		}
		if _, out.Problems, err = parseUsable(tx, p.Source); err != nil {
			return err
		}
		if p.Revision > 0 {
			latest, err := tx.PolicyRevision(p.ID, p.Revision)
			if err != nil {
				return err
			}
			if latest.Source == p.Source && p.Version == over {
				return failf(Conflict, "the draft is the same as revision %d; there is nothing to publish", p.Revision).code("nothing_to_publish")
			}
		}
		p.Revision++
		p.Version = over + 1
		if err := tx.SetPolicy(p, over); err != nil {
			return err
		}
		now := s.Now()
		if err := tx.AddPolicyRevision(store.PolicyRevision{PolicyID: p.ID, Number: p.Revision, Source: p.Source, PublishedAt: now, PublishedBy: who.Name}); err != nil {
			return err
		}
		moved, err := tx.PinRevision(p.ID, p.Revision, now)
		if err != nil {
			return err
		}
		out.Policy, out.Moved = p, []string{}
		var groups []string
		for _, a := range moved {
			if err := s.mayAim(tx, who, &a); err != nil {
				return err
			}
			out.Moved = append(out.Moved, a.Name)
			groups = append(groups, a.Include...)
		}
		if len(moved) > 0 {
			if err := tx.RequestSettle(store.SettleRequest{Cause: "policy " + name + " published", Groups: groups, CreatedAt: now}); err != nil {
				return err
			}
		}
		if err := tx.Notify(store.Notice{Topic: store.TopicEdits, IDs: []string{name}}); err != nil {
			return err
		}
		return s.audit(tx, who, record{action: "policy.published", object: name, after: map[string]any{"revision": p.Revision, "moved": out.Moved}})
	})
	return out, s.refused(ctx, who, record{action: "policy.published", object: name}, named(err, "policy", name))
}

// PolicyRevisions lists a page.
func (s *Service) PolicyRevisions(ctx context.Context, name string, p store.Page) ([]store.PolicyRevision, string, error) {
	db := s.Store.With(ctx)
	record, err := db.Policy(name)
	if err != nil {
		return nil, "", named(err, "policy", name)
	}
	return db.ListPolicyRevisions(record.ID, p)
}

// PolicyRevision reads one published document.
func (s *Service) PolicyRevision(ctx context.Context, name string, number int) (store.PolicyRevision, error) {
	db := s.Store.With(ctx)
	record, err := db.Policy(name)
	if err != nil {
		return store.PolicyRevision{}, named(err, "policy", name)
	}
	r, err := db.PolicyRevision(record.ID, number)
	if errors.Is(err, store.ErrNotFound) {
		return r, failf(NotFound, "the policy %q has no revision %d; the latest is %d", name, number, record.Revision)
	}
	return r, err
}

type revisionKey struct {
	policy   string // identifier
	revision int
}

// policyCache keeps the documents of revisions, which never change.
type policyCache struct {
	mu        sync.Mutex
	documents map[revisionKey]*policy.Document
}

// document gives the document of a revision.
func (s *Service) document(tx store.Tx, key revisionKey) (*policy.Document, error) {
	s.policies.mu.Lock()
	cached, known := s.policies.documents[key]
	s.policies.mu.Unlock()
	if known {
		return cached, nil
	}
	r, err := tx.PolicyRevision(key.policy, key.revision)
	if err != nil {
		return nil, err
	}
	doc, problems := policy.Parse([]byte(r.Source), nil)
	if !policy.Usable(problems) {
		return nil, fmt.Errorf("%w: revision %d: %v", errUnreadable, r.Number, problems)
	}
	s.policies.mu.Lock()
	defer s.policies.mu.Unlock()
	s.policies.documents[key] = doc
	return doc, nil
}

// errUnreadable is given for a published document that cannot be read any more.
var errUnreadable = errors.New("the published policy cannot be read")
