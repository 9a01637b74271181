package reporting

import (
	"cmp"
	"context"
	"encoding/json"
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/store"
)

// FindingBy is what open findings are counted by.
type FindingBy string

// What open findings are counted by.
const (
	ByAssignment FindingBy = "assignment" // that decided the setting
	ByGroup      FindingBy = "group"      // that the device is in
	ByDevice     FindingBy = "device"
)

// FindingCount is the number of open findings, and of devices that have them, of one assignment, group or device.
type FindingCount struct {
	Name     string
	Findings int
	Devices  int
	Oldest   time.Time
}

// mostCounts is how many counts are given.
const mostCounts = 100

// CountFindings counts open findings by one of their sides: the most devices first, then the most findings; and gives
// the number of counts that are left out.
func (s *Service) CountFindings(
	ctx context.Context, who rights.Identity, by FindingBy, f FindingFilter,
) (list []FindingCount, more int, err error) {
	f.State = store.FindingOpen
	filter, err := s.findings(ctx, who, f)
	if err != nil {
		return nil, 0, err
	}
	if filter.Kind == "" {
		filter.Not = string(drift.UnitUnsupported)
	}
	list = []FindingCount{}
	for name, c := range countOpen(s, filter, s.sidesOf(by)) {
		c.Name = name
		list = append(list, *c)
	}
	slices.SortFunc(list, func(a, b FindingCount) int {
		return cmp.Or(
			cmp.Compare(b.Devices, a.Devices),
			cmp.Compare(b.Findings, a.Findings),
			strings.Compare(a.Name, b.Name),
		)
	})
	if more = len(list) - mostCounts; more > 0 {
		list = list[:mostCounts]
	}
	return list, max(0, more), nil
}

// countOpen counts open findings by what keys gives for each.
func countOpen[K comparable](
	s *Service, filter store.FindingFilter, keys func(d *fleetview.Device, x *store.ViewFinding) []K,
) map[K]*FindingCount {
	counts := map[K]*FindingCount{}
	s.View.Each(
		s.Clock(),
		fleetview.Filter{Reach: filter.Reach, Group: filter.Group},
		func(d *fleetview.Device, _ drift.Standing) bool {
			seen := map[K]bool{}
			for i := range d.Findings {
				x := &d.Findings[i]
				if !filter.Takes(x) {
					continue
				}
				for _, key := range keys(d, x) {
					c := counts[key]
					if c == nil {
						c = &FindingCount{Oldest: x.FirstSeen}
						counts[key] = c
					}
					c.add(x, !seen[key])
					seen[key] = true
				}
			}
			return true
		},
	)
	return counts
}

func (c *FindingCount) add(x *store.ViewFinding, first bool) {
	c.Findings++
	if first {
		c.Devices++
	}
	if x.FirstSeen.Before(c.Oldest) {
		c.Oldest = x.FirstSeen
	}
}

// sidesOf gives the names under which a finding of a device is counted.
func (s *Service) sidesOf(by FindingBy) func(d *fleetview.Device, x *store.ViewFinding) []string {
	switch by {
	case ByGroup:
		groups := s.View.GroupNames()
		return func(d *fleetview.Device, _ *store.ViewFinding) []string { return d.In(groups) }
	case ByDevice:
		return func(d *fleetview.Device, _ *store.ViewFinding) []string { return []string{d.Name} }
	}
	known := map[string][]string{} // by the text that is stored
	return func(_ *fleetview.Device, x *store.ViewFinding) []string {
		names, there := known[x.Assignments]
		if !there {
			if json.Unmarshal([]byte(x.Assignments), &names) != nil {
				names = nil // nothing was stored that is no list
			}
			known[x.Assignments] = names
		}
		return names
	}
}
