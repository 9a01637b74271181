package organisation

import (
	"context"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/store"
)

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
		out[i] = GroupSummary{g.Group, enrolled[g.Name], enrolled[g.Name]}
		if who.Reach(rights.Look).Everywhere() {
			out[i].Listed += g.Expected
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
