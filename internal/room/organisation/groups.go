package organisation

import (
	"cmp"
	"context"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// MaxGroupEdit is the largest number of devices that one edit of a group may name.
const MaxGroupEdit = 5000

// GroupSummary is a group with the number of names that are listed in it, and of its devices in reach.
type GroupSummary struct {
	store.Group
	Listed   int
	Enrolled int
}

// Groups lists a page by name; search is part of one.
func (s *Service) Groups(
	ctx context.Context, who rights.Identity, search string, p store.Page,
) ([]GroupSummary, string, error) {
	list, next, err := s.Read(ctx).ListGroups(search, p)
	if err != nil {
		return nil, "", err
	}
	enrolled := map[string]int{}
	for _, g := range s.View.Groups(s.Clock(), who.Reach(rights.Look), fleetview.Drawn{}, nil) {
		enrolled[g.Name] = g.Counts.Total()
	}
	out := make([]GroupSummary, len(list))
	for i, g := range list {
		out[i] = GroupSummary{g.Group, g.Listed, enrolled[g.Name]}
		if g.Rule != "" {
			out[i].Listed = out[i].Enrolled
		}
		if !who.Reach(rights.Look).Everywhere() {
			out[i].Listed = out[i].Enrolled
		}
	}
	return out, next, nil
}

// Group finds one by name.
func (s *Service) Group(ctx context.Context, name string) (store.Group, error) {
	if err := devicegroups.NotBuiltIn(name); err != nil {
		return store.Group{}, err
	}
	g, err := s.Read(ctx).Group(name)
	return g, refusal.Named(err, "group", name)
}

// GroupMembers lists a page of the names in a group.
func (s *Service) GroupMembers(
	ctx context.Context, who rights.Identity, name string, p store.Page,
) ([]store.GroupMember, string, error) {
	g, err := s.Group(ctx, name)
	if err != nil {
		return nil, "", err
	}
	return s.Read(ctx).ListGroupMembers(who.Reach(rights.Look), g.ID, p)
}

// AddGroup makes a group.
func (s *Service) AddGroup(
	ctx context.Context, who rights.Identity, name string, want devicegroups.Spec,
) (store.Group, error) {
	if err := devicegroups.CheckSpec(name, want); err != nil {
		return store.Group{}, err
	}
	keys, err := devicegroups.DeviceKeys(want.Devices, MaxGroupEdit)
	if err != nil {
		return store.Group{}, err
	}
	var g store.Group
	err = s.Do(ctx, uow.ByOperator(operation.CreateGroup, who, name), func(tx Records, w *uow.Work) (err error) {
		g, err = devicegroups.Add(tx, w, name, want, keys)
		return err
	})
	return g, refusal.Named(err, "group", name)
}

// ChangeGroup edits a group over the version its editor read.
func (s *Service) ChangeGroup(
	ctx context.Context, who rights.Identity, name string, c devicegroups.Edit, over int64,
) (store.Group, error) {
	add, err := devicegroups.DeviceKeys(c.Add, MaxGroupEdit)
	if err != nil {
		return store.Group{}, err
	}
	remove, err := devicegroups.DeviceKeys(c.Remove, MaxGroupEdit)
	if err != nil {
		return store.Group{}, err
	}
	g, err := s.Group(ctx, name)
	if err != nil {
		return g, err
	}
	if err := devicegroups.CheckEdit(g, c); err != nil {
		return g, err
	}
	var held *store.Brake
	err = s.Do(ctx, uow.ByOperator(operation.EditGroup, who, name), func(tx Records, w *uow.Work) (err error) {
		if c.Rule == nil {
			return devicegroups.Change(tx, w, &g, c, add, remove, over)
		}
		what := asked{Rule: &askedRule{Group: name, Rule: *c.Rule, Description: c.Description, Over: over}}
		held, err = s.braked(ctx, tx, w, store.BrakeRule, what, func(tx Records, w *uow.Work) error {
			changed := g // it may be done twice
			return devicegroups.Change(tx, w, &changed, c, nil, nil, over)
		})
		return err
	})
	if err = refusal.Named(cmp.Or(err, s.refuseHeld(held)), "group", name); err != nil {
		return g, err
	}
	return s.Group(ctx, name)
}

// RemoveGroup removes a group that no assignment names.
func (s *Service) RemoveGroup(ctx context.Context, who rights.Identity, name string, over int64) error {
	g, err := s.Group(ctx, name)
	if err != nil {
		return err
	}
	return refusal.Named(
		s.Do(
			ctx,
			uow.ByOperator(operation.DeleteGroup, who, name),
			func(tx Records, w *uow.Work) error { return devicegroups.Remove(tx, w, g, over) },
		),
		"group",
		name,
	)
}
