package changes

import (
	"cmp"
	"context"
	"strings"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/change"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/planning"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// Assignments lists a page by rank and name, of one policy when it is named.
func (s *Service) Assignments(
	ctx context.Context, policyName string, p store.Page,
) ([]store.Assignment, string, error) {
	return s.Read(ctx).ListAssignments(policyName, p)
}

// AssignmentsByPolicy gives the assignments of several policies, by the policy's identifier.
func (s *Service) AssignmentsByPolicy(
	ctx context.Context, policies []store.Policy,
) (map[string][]store.Assignment, error) {
	ids := make([]string, len(policies))
	for i, p := range policies {
		ids[i] = p.ID
	}
	list, err := s.Read(ctx).AssignmentsOf(ids)
	by := map[string][]store.Assignment{}
	for _, a := range list {
		by[a.PolicyID] = append(by[a.PolicyID], a)
	}
	return by, err
}

// Assignment finds one by name.
func (s *Service) Assignment(ctx context.Context, name string) (store.Assignment, error) {
	a, err := s.Read(ctx).Assignment(name)
	return a, refusal.Named(err, "assignment", name)
}

// NewAssignment aims the latest revision of a policy at groups.
func (s *Service) NewAssignment(
	ctx context.Context, who rights.Identity, want assign.Assignment, asking Asking,
) (store.Assignment, error) {
	if !policy.ValidName(want.Name) {
		return store.Assignment{}, refusal.New(refusal.Invalid, "%q cannot name an assignment; use %s", want.Name,
			policy.NameRule).
			At("name")
	}
	edit := change.Edit{Kind: change.Assign, Name: want.Name, Assignment: new(change.Aim(want))}
	if err := s.direct(ctx, who, operation.CreateAssignment, edit, asking); err != nil {
		return store.Assignment{}, err
	}
	return s.Assignment(ctx, want.Name)
}

func (s *Service) addAssignment(tx Records, w *uow.Work, want assign.Assignment) (store.Assignment, error) {
	now := s.Now()
	a := store.Assignment{ID: store.NewID(now), Name: want.Name, Version: 1, CreatedAt: now}
	if err := planning.NotTouched(tx, w.Under(), "assignment "+want.Name, "policy "+want.Policy); err != nil {
		return a, err
	}
	if err := s.aim(tx, &a, want); err != nil {
		return a, err
	}
	if err := tx.AddAssignment(a); err != nil {
		return a, err
	}
	return a, settleAimed(tx, w, nil, &a)
}

// ChangeAssignment aims an assignment elsewhere, or gives it another rank or policy, over the
// version its editor read.
func (s *Service) ChangeAssignment(
	ctx context.Context, who rights.Identity, want assign.Assignment, over int64, asking Asking,
) (store.Assignment, error) {
	edit := change.Edit{Kind: change.Assign, Name: want.Name, BasedOn: over, Assignment: new(change.Aim(want))}
	if err := s.direct(ctx, who, operation.EditAssignment, edit, asking); err != nil {
		return store.Assignment{}, err
	}
	return s.Assignment(ctx, want.Name)
}

func (s *Service) changeAssignment(
	tx Records, w *uow.Work, want assign.Assignment, over int64,
) (store.Assignment, error) {
	a, err := tx.Assignment(want.Name)
	if err != nil {
		return a, err
	}
	before := a
	if err := planning.NotTouched(tx, w.Under(), "assignment "+a.Name, "policy "+want.Policy); err != nil {
		return a, err
	}
	if err := s.aim(tx, &a, want); err != nil {
		return a, err
	}
	a.Version = over + 1
	if err := tx.SetAssignment(a, over); err != nil {
		return a, err
	}
	return a, settleAimed(tx, w, &before, &a)
}

// RemoveAssignment takes an assignment away, as a change of one edit; its devices are settled without it.
func (s *Service) RemoveAssignment(
	ctx context.Context, who rights.Identity, name string, over int64, asking Asking,
) error {
	edit := change.Edit{Kind: change.Withdraw, Name: name, BasedOn: over}
	return s.direct(ctx, who, operation.DeleteAssignment, edit, asking)
}

func removeAssignment(tx Records, w *uow.Work, name string, over int64) error {
	a, err := tx.Assignment(name)
	if err != nil {
		return err
	}
	if err := planning.NotTouched(tx, w.Under(), "assignment "+name); err != nil {
		return err
	}
	if err := tx.RemoveAssignment(a.ID, over); err != nil {
		return err
	}
	return settleAimed(tx, w, &a, nil)
}

// aim fills a record from what is wanted, after checking that all of it exists.
func (s *Service) aim(tx Records, a *store.Assignment, want assign.Assignment) error {
	want.Stance = cmp.Or(want.Stance, assign.Enforce)
	if err := want.Check(); err != nil {
		return refusal.New(refusal.Invalid, "%v", err)
	}
	p, err := tx.Policy(want.Policy)
	if err != nil {
		return refusal.Named(err, "policy", want.Policy)
	}
	if p.Revision == 0 {
		return refusal.New(refusal.Invalid, "the policy %q has not been published yet; publish it first", p.Name).
			At("policy")
	}
	for place, groups := range map[string][]string{"include": want.Include, "exclude": want.Exclude,
		"within": want.Within} {
		if err := devicegroups.Exist(tx, place, groups); err != nil {
			return err
		}
	}
	if err := devicegroups.NotByDevice(tx, want.Exclude, devicegroups.Excluded); err != nil {
		return err
	}
	if a.PolicyID != p.ID {
		a.PolicyID, a.Policy, a.Revision = p.ID, p.Name, p.Revision
	}
	a.Include, a.Exclude, a.Within = text.Set(want.Include), text.Set(want.Exclude), text.Set(want.Within)
	a.Rank, a.Stance, a.UpdatedAt = int(want.Rank), string(want.Stance), s.Now()
	return nil
}

// mayAim refuses an edit of assignments that reach, before or after it, devices out of the editor's reach.
func mayAim(tx Records, who rights.Identity, assignments ...*store.Assignment) error {
	mine := who.Reach(rights.Deploy)
	if mine.Everywhere() {
		return nil
	}
	most := 0
	for _, a := range assignments {
		if a == nil {
			continue
		}
		n, err := tx.CountAimedOutside(mine, store.Aim{Include: a.Include, Exclude: a.Exclude, Within: a.Within})
		if err != nil {
			return err
		}
		most = max(most, n)
	}
	if most > 0 {
		return refusal.BeyondReach()
	}
	return nil
}

// settleAimed has everything settled that an assignment reached before or reaches now; nil for none.
func settleAimed(tx Records, w *uow.Work, before, after *store.Assignment) error {
	if err := mayAim(tx, w.Who(), before, after); err != nil {
		return err
	}
	var groups []string
	state := func(a *store.Assignment) any {
		if a == nil {
			return nil
		}
		groups = append(groups, a.Include...)
		return map[string]any{
			"policy":   a.Policy,
			"revision": a.Revision,
			"include":  a.Include,
			"exclude":  a.Exclude,
			"within":   a.Within,
			"rank":     a.Rank,
			"stance":   a.Stance,
		}
	}
	w.Before, w.After = state(before), state(after)
	w.Settle(strings.Replace(w.Action(), ".", " "+w.Object()+" ", 1), text.Set(groups), nil)
	w.Tell(store.TopicEdits, w.Object())
	return nil
}
