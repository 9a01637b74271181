package service

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/store"
)

// Assignments lists a page by rank and name, of one policy when it is named.
func (s *Service) Assignments(ctx context.Context, policyName string, p store.Page) ([]store.Assignment, string, error) {
	return s.Store.With(ctx).ListAssignments(policyName, p)
}

// AssignmentsByPolicy gives the assignments of several policies, by the policy's identifier.
func (s *Service) AssignmentsByPolicy(ctx context.Context, policies []store.Policy) (map[string][]store.Assignment, error) {
	ids := make([]string, len(policies))
	for i, p := range policies {
		ids[i] = p.ID
	}
	list, err := s.Store.With(ctx).AssignmentsOf(ids)
	by := map[string][]store.Assignment{}
	for _, a := range list {
		by[a.PolicyID] = append(by[a.PolicyID], a)
	}
	return by, err
}

// Assignment finds one by name.
func (s *Service) Assignment(ctx context.Context, name string) (store.Assignment, error) {
	a, err := s.Store.With(ctx).Assignment(name)
	return a, named(err, "assignment", name)
}

// NewAssignment aims the latest revision of a policy at groups.
func (s *Service) NewAssignment(ctx context.Context, who auth.Identity, want assign.Assignment) (store.Assignment, error) {
	if !policy.ValidName(want.Name) {
		return store.Assignment{}, failf(Invalid, "%q cannot name an assignment; use %s", want.Name, policy.NameRule).at("name")
	}
	now := s.Now()
	a := store.Assignment{ID: store.NewID(now), Name: want.Name, Version: 1, CreatedAt: now}
	err := s.InTx(ctx, func(tx store.Tx) error {
		if err := s.aim(tx, &a, want); err != nil {
			return err
		}
		if err := tx.AddAssignment(a); err != nil {
			return err
		}
		return s.aimed(tx, who, "assignment.made", nil, &a)
	})
	return a, s.refused(ctx, who, record{action: "assignment.made", object: want.Name}, named(err, "assignment", want.Name))
}

// ChangeAssignment aims an assignment elsewhere, or gives it another rank or policy, over the
// version its editor read.
func (s *Service) ChangeAssignment(ctx context.Context, who auth.Identity, want assign.Assignment, over int64) (store.Assignment, error) {
	var a store.Assignment
	err := s.InTx(ctx, func(tx store.Tx) (err error) {
		if a, err = tx.Assignment(want.Name); err != nil {
			return err
		}
		before := a
		if err := s.aim(tx, &a, want); err != nil {
			return err
		}
		a.Version = over + 1
		if err := tx.SetAssignment(a, over); err != nil {
			return err
		}
		return s.aimed(tx, who, "assignment.changed", &before, &a)
	})
	return a, s.refused(ctx, who, record{action: "assignment.changed", object: want.Name}, named(err, "assignment", want.Name))
}

// RemoveAssignment takes an assignment away; its devices are settled without it.
func (s *Service) RemoveAssignment(ctx context.Context, who auth.Identity, name string, over int64) error {
	return s.refused(ctx, who, record{action: "assignment.removed", object: name}, named(s.InTx(ctx, func(tx store.Tx) error {
		a, err := tx.Assignment(name)
		if err != nil {
			return err
		}
		if err := tx.RemoveAssignment(a.ID, over); err != nil {
			return err
		}
		return s.aimed(tx, who, "assignment.removed", &a, nil)
	}), "assignment", name))
}

// aim fills a record from what is wanted, after checking that all of it exists.
func (s *Service) aim(tx store.Tx, a *store.Assignment, want assign.Assignment) error {
	want.Stance = cmp.Or(want.Stance, assign.Enforce)
	if err := want.Check(); err != nil {
		return failf(Invalid, "%v", err)
	}
	p, err := tx.Policy(want.Policy)
	if err != nil {
		return named(err, "policy", want.Policy)
	}
	if p.Revision == 0 {
		return failf(Invalid, "the policy %q has not been published yet; publish it first", p.Name).at("policy")
	}
	for place, groups := range map[string][]string{"include": want.Include, "exclude": want.Exclude, "within": want.Within} {
		if err := s.groupsExist(tx, place, groups); err != nil {
			return err
		}
	}
	if err := notByDevice(tx, want.Exclude, excluded); err != nil {
		return err
	}
	if a.PolicyID != p.ID {
		a.PolicyID, a.Policy, a.Revision = p.ID, p.Name, p.Revision
	}
	a.Include, a.Exclude, a.Within = sortedSet(want.Include), sortedSet(want.Exclude), sortedSet(want.Within)
	a.Rank, a.Stance, a.UpdatedAt = int(want.Rank), string(want.Stance), s.Now()
	return nil
}

// groupsExist refuses names of groups that do not exist, with the nearest one that does.
func (s *Service) groupsExist(tx store.Tx, place string, groups []string) error {
	found, err := tx.GroupsNamed(append([]string{""}, groups...))
	if err != nil {
		return err
	}
	known := map[string]bool{assign.Everything: true}
	for _, g := range found {
		known[g.Name] = true
	}
	for _, name := range groups {
		if known[name] {
			continue
		}
		hint := "make it first, or list the groups"
		if near, err := s.nearestGroup(tx, name); err != nil {
			return err
		} else if near != "" {
			hint = "did you mean \"" + near + "\"?"
		}
		return failf(Invalid, "there is no group %q; %s", name, hint).at(place).code("unknown_group")
	}
	return nil
}

func (s *Service) nearestGroup(tx store.Tx, name string) (string, error) {
	list, _, err := tx.ListGroups("", store.Page{Limit: store.MaxLimit})
	names := []string{assign.Everything}
	for _, g := range list {
		names = append(names, g.Name)
	}
	return text.Nearest(name, names), err
}

// aimed asks for everything that the assignment reached before or reaches now to be settled, and
// puts the edit on the trail.
func (s *Service) aimed(tx store.Tx, who auth.Identity, action string, before, after *store.Assignment) error {
	if err := s.mayAim(tx, who, before, after); err != nil {
		return err
	}
	var groups []string
	name := ""
	state := func(a *store.Assignment) any {
		if a == nil {
			return nil
		}
		name = a.Name
		groups = append(groups, a.Include...)
		return map[string]any{"policy": a.Policy, "revision": a.Revision, "include": a.Include, "exclude": a.Exclude, "within": a.Within, "rank": a.Rank, "stance": a.Stance}
	}
	entry := record{action: action, before: state(before), after: state(after)}
	entry.object = name
	if err := tx.RequestSettle(store.SettleRequest{Cause: strings.Replace(action, ".", " "+name+" ", 1), Groups: sortedSet(groups), CreatedAt: s.Now()}); err != nil {
		return err
	}
	if err := tx.Notify(store.Notice{Topic: store.TopicEdits, IDs: []string{name}}); err != nil {
		return err
	}
	return s.audit(tx, who, entry)
}

func sortedSet(list []string) []string {
	set := append([]string{}, list...)
	slices.Sort(set)
	return slices.Compact(set)
}
