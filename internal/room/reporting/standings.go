package reporting

import (
	"context"
	"maps"
	"slices"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/fleetview"
)

// StandingsByAssignment counts, for every assignment, the devices in reach that it applies to, by standing.
func (s *Service) StandingsByAssignment(ctx context.Context, who rights.Identity) (map[string]Counts, error) {
	type key struct {
		scope    string
		standing drift.Standing
	}
	counts := map[key]int{}
	s.View.Each(
		s.Clock(),
		fleetview.Filter{Reach: who.Reach(rights.Look)},
		func(d *fleetview.Device, standing drift.Standing) bool {
			counts[key{d.Scope, standing}]++
			return true
		},
	)
	digests := map[string]bool{}
	for k := range counts {
		if k.scope != "" {
			digests[k.scope] = true
		}
	}
	assignments, err := s.Scopes.Assignments(s.Read(ctx), slices.Sorted(maps.Keys(digests)))
	if err != nil {
		return nil, err
	}
	by := map[string]Counts{}
	for k, n := range counts {
		for _, name := range assignments[k.scope] {
			if by[name] == nil {
				by[name] = Counts{}
			}
			by[name][k.standing] += n
		}
	}
	return by, nil
}
