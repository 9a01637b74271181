package changes

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"rankwarden.example/core/change"
	"rankwarden.example/core/drift"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/present"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/base/planning"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// parse checks a document against the directory, if one was ever imported.
func parse(tx Reads, source string) (*policy.Document, []policy.Problem, error) {
	return policy.ParseWith([]byte(source), func(named []principal.Ref) (principal.Directory, error) {
		if len(named) == 0 {
			return nil, nil
		}
		if empty, err := tx.DirectoryIsEmpty(); err != nil || empty {
			return nil, err
		}
		return tx.DirectoryAround(named)
	})
}

// Checked is what is known of a document before it is stored.
type Checked struct {
	Problems []policy.Problem
	Asks     []present.Line // in words; empty while the document has errors
	Exists   []Existing
}

// Existing says that devices have an account that a document would take over.
type Existing struct {
	Key     string
	Name    string // the pattern
	Devices int    // in reach
}

// CheckPolicy gives the problems of a document, and, once it can be used, in words what it asks for and which accounts
// that no policy manages exist already on devices in reach.
func (s *Service) CheckPolicy(ctx context.Context, who rights.Identity, source string) (Checked, error) {
	doc, problems, err := parse(s.Read(ctx), source)
	out := Checked{Problems: append([]policy.Problem{}, problems...), Asks: []present.Line{}}
	if err == nil && policy.Usable(problems) {
		out.Asks = present.Policy(doc.Normalise(nil))
		out.Exists = s.existing(who.Reach(rights.Look), doc)
	}
	for i, p := range out.Problems {
		if p.Code == policy.CodePlatform {
			out.Problems[i].Message += s.concerned(who.Reach(rights.Look))
		}
	}
	return out, err
}

// concerned says how many devices a warning about Linux concerns.
func (s *Service) concerned(reach rights.Reach) string {
	n := 0
	for _, d := range s.View.Devices(reach) {
		if d.Facts.Platform == "linux" {
			n++
		}
	}
	switch n {
	case 0:
		return "; no device in your reach has Linux"
	case 1:
		return "; 1 device in your reach has Linux"
	}
	return fmt.Sprintf("; %d devices in your reach have Linux", n)
}

func (s *Service) existing(reach rights.Reach, doc *policy.Document) []Existing {
	var list []Existing
	for _, a := range doc.Accounts {
		if a.State == unit.Absent {
			continue
		}
		n := s.View.Fitting(reach, func(name string) bool {
			return drift.FitsName(a.Name, name) ||
				slices.ContainsFunc(a.Formerly, func(former string) bool { return drift.FitsName(former, name) })
		})
		if n > 0 {
			list = append(list, Existing{a.Key, a.Name, n})
		}
	}
	return list
}

// parseUsable parses a document and refuses one with errors; warnings are given beside it.
func parseUsable(tx Reads, source string) (*policy.Document, []policy.Problem, error) {
	doc, problems, err := parse(tx, source)
	if err != nil {
		return nil, nil, err
	}
	if !policy.Usable(problems) {
		e := refusal.New(refusal.Invalid, "the policy cannot be used; nothing was stored. Fix the problems and send "+
			"it again").
			WithCode("policy_unusable")
		e.Problems = problems
		return nil, problems, e
	}
	return doc, problems, nil
}

// Policies lists a page.
func (s *Service) Policies(ctx context.Context, search string, p store.Page) ([]store.Policy, string, error) {
	return s.Read(ctx).ListPolicies(search, p)
}

// Policy finds one by name.
func (s *Service) Policy(ctx context.Context, name string) (store.Policy, error) {
	p, err := s.Read(ctx).Policy(name)
	return p, refusal.Named(err, "policy", name)
}

// NewPolicy stores the first draft of a policy; the document gives its name.
func (s *Service) NewPolicy(
	ctx context.Context, who rights.Identity, source string,
) (store.Policy, []policy.Problem, error) {
	doc, problems, err := parseUsable(s.Read(ctx), source)
	if err != nil {
		return store.Policy{}, problems, err
	}
	now := s.Now()
	p := store.Policy{ID: store.NewID(now), Name: doc.Name, Title: doc.Title, Source: source, Version: 1,
		CreatedAt: now, UpdatedAt: now, UpdatedBy: who.Name}
	err = s.Do(ctx, uow.ByOperator(operation.CreatePolicy, who, doc.Name), func(tx Records, w *uow.Work) error {
		if err := tx.AddPolicy(p); err != nil {
			return err
		}
		saved(w, p)
		return nil
	})
	return p, problems, refusal.Named(err, "policy", doc.Name)
}

func saved(w *uow.Work, p store.Policy) {
	w.Tell(store.TopicEdits, p.Name)
	w.After = map[string]any{"version": p.Version, "document": p.Source}
}

// SavePolicy stores a draft over the version its author read.
func (s *Service) SavePolicy(
	ctx context.Context, who rights.Identity, name, source string, over int64,
) (store.Policy, []policy.Problem, error) {
	doc, problems, err := parseUsable(s.Read(ctx), source)
	if err != nil {
		return store.Policy{}, problems, err
	}
	if doc.Name != name {
		return store.Policy{}, problems, refusal.New(refusal.Invalid,
			"the document is named %q, but it was sent for the policy %q; a policy keeps its name. Change the name "+
				"back, or save it as a new policy", doc.Name, name).
			At("name")
	}
	var p store.Policy
	err = s.Do(ctx, uow.ByOperator(operation.SavePolicy, who, name), func(tx Records, w *uow.Work) (err error) {
		if err := planning.NotTouched(tx, "", "policy "+name); err != nil {
			return err
		}
		if p, err = tx.Policy(name); err != nil {
			return err
		}
		w.Before = map[string]any{"version": p.Version, "document": p.Source}
		p.Title, p.Source, p.Version, p.UpdatedAt, p.UpdatedBy = doc.Title, source, over+1, s.Now(), who.Name
		if err := tx.SetPolicy(p, over); err != nil {
			return err
		}
		saved(w, p)
		return nil
	})
	return p, problems, refusal.Named(err, "policy", name)
}

// Publication says what a publish did.
type Publication struct {
	Policy   store.Policy
	Moved    []string // assignments that now have the new revision in force
	Problems []policy.Problem
}

// PublishPolicy makes the draft that the author read the next revision, and moves every assignment of the policy to it,
// for all of their devices at once: a change of one edit.
func (s *Service) PublishPolicy(
	ctx context.Context, who rights.Identity, name string, over int64, asking Asking,
) (Publication, error) {
	var out Publication
	db := s.Read(ctx)
	p, err := db.Policy(name)
	if err != nil {
		return out, refusal.Named(err, "policy", name)
	}
	if _, out.Problems, err = parseUsable(db, p.Source); err != nil {
		return out, err
	}
	if p.Revision > 0 {
		latest, err := db.PolicyRevision(p.ID, p.Revision)
		if err != nil {
			return out, err
		}
		if latest.Source == p.Source && p.Version == over {
			return out, refusal.New(refusal.Conflict,
				"the draft is the same as revision %d; there is nothing to publish", p.Revision).
				WithCode("nothing_to_publish")
		}
	}
	edit := change.Edit{Kind: change.Publish, Name: name, BasedOn: over, Document: p.Source}
	if err := s.direct(ctx, who, operation.PublishPolicy, edit, asking); err != nil {
		return out, err
	}
	if out.Policy, err = db.Policy(name); err != nil {
		return out, refusal.Named(err, "policy", name)
	}
	moved, err := db.AssignmentsOf([]string{out.Policy.ID})
	out.Moved = []string{}
	for _, a := range moved {
		out.Moved = append(out.Moved, a.Name)
	}
	slices.Sort(out.Moved)
	return out, err
}

// release makes the document of a policy its next revision, and moves every assignment of it there. It names them.
func (s *Service) release(tx Records, w *uow.Work, p *store.Policy, over int64) (names []string, err error) {
	if err := planning.NotTouched(tx, w.Under(), "policy "+p.Name); err != nil {
		return nil, err
	}
	p.Revision++
	p.Version = over + 1
	if err := tx.SetPolicy(*p, over); err != nil {
		return nil, err
	}
	now := s.Now()
	if err := tx.AddPolicyRevision(store.PolicyRevision{
		PolicyID: p.ID, Number: p.Revision, Source: p.Source, PublishedAt: now, PublishedBy: w.Who().Name,
	}); err != nil {
		return nil, err
	}
	moved, err := tx.PinRevision(p.ID, p.Revision, now)
	if err != nil {
		return nil, err
	}
	names = []string{}
	var groups []string
	for _, a := range moved {
		if err := mayAim(tx, w.Who(), &a); err != nil {
			return nil, err
		}
		names = append(names, a.Name)
		groups = append(groups, a.Include...)
	}
	if len(moved) > 0 {
		w.Settle("policy "+p.Name+" published", groups, nil)
	}
	w.Tell(store.TopicEdits, p.Name)
	w.After = map[string]any{"revision": p.Revision, "moved": names}
	return names, nil
}

// PolicyRevisions lists a page.
func (s *Service) PolicyRevisions(
	ctx context.Context, name string, p store.Page,
) ([]store.PolicyRevision, string, error) {
	db := s.Read(ctx)
	record, err := db.Policy(name)
	if err != nil {
		return nil, "", refusal.Named(err, "policy", name)
	}
	return db.ListPolicyRevisions(record.ID, p)
}

// PolicyRevision reads one published document.
func (s *Service) PolicyRevision(ctx context.Context, name string, number int) (store.PolicyRevision, error) {
	db := s.Read(ctx)
	record, err := db.Policy(name)
	if err != nil {
		return store.PolicyRevision{}, refusal.Named(err, "policy", name)
	}
	r, err := db.PolicyRevision(record.ID, number)
	if errors.Is(err, store.ErrNotFound) {
		return r, refusal.New(
			refusal.NotFound,
			"the policy %q has no revision %d; the latest is %d",
			name,
			number,
			record.Revision,
		)
	}
	return r, err
}
