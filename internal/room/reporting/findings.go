package reporting

import (
	"cmp"
	"context"
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/present"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/store"
)

// FindingFilter narrows a list of findings. Empty fields do not.
type FindingFilter struct {
	reach.Past
	State, Unit, Kind string
	Assignment        string // that decided the setting
}

func (s *Service) findings(ctx context.Context, who rights.Identity, f FindingFilter) (store.FindingFilter, error) {
	filter := store.FindingFilter{State: f.State, Kind: f.Kind, Assignment: f.Assignment}
	if f.Kind != "" && !slices.Contains(drift.Kinds, drift.Kind(f.Kind)) {
		return filter, refusal.Unknown("kind", f.Kind, drift.Kinds)
	}
	if f.Assignment != "" && f.State != store.FindingOpen {
		return filter, refusal.New(refusal.Invalid,
			"only open findings are narrowed to an assignment; leave one of them out").
			At("assignment")
	}
	if f.Unit != "" {
		id, err := present.ParseUnit(f.Unit)
		if err != nil {
			return filter, refusal.New(refusal.Invalid, "%v", err).At("unit").Asked()
		}
		filter.Unit = id.String()
	}
	narrow, err := reach.Narrow(s.Read(ctx), s.View, s.Clock(), who, f.Past)
	filter.Narrow = narrow
	return filter, err
}

// Findings lists a page, newest first. What a platform cannot carry is no drift that anybody could put
// right: it is listed only when it is asked for by its kind.
func (s *Service) Findings(
	ctx context.Context, who rights.Identity, f FindingFilter, p store.Page,
) ([]store.Finding, string, error) {
	filter, err := s.findings(ctx, who, f)
	if err != nil {
		return nil, "", err
	}
	if filter.Kind == "" {
		filter.Not = string(drift.UnitUnsupported)
	}
	list, next, err := s.listFindings(ctx, filter, p)
	if err == nil {
		err = s.Read(ctx).CameBack(list)
	}
	return list, next, err
}

func (s *Service) listFindings(
	ctx context.Context, filter store.FindingFilter, p store.Page,
) ([]store.Finding, string, error) {
	if filter.State != store.FindingOpen || filter.Few != nil {
		return s.Read(ctx).ListFindings(filter, p)
	}
	// Which are open is known; the database would go through all of them for a group that has few.
	return s.Read(ctx).FindingsByID(func(before int64, most int) []int64 {
		return s.View.OpenFindings(
			filter.Reach,
			filter.Group,
			func(x *store.ViewFinding) bool { return x.ID < before && filter.Takes(x) },
			most,
		)
	}, p)
}

// closedSpan is how far back closed findings are summed up when no time is given.
const closedSpan = 24 * time.Hour

// SumFindings sums findings up by unit and kind, most devices first. Closed ones are those of the last
// day, unless a time is given.
func (s *Service) SumFindings(ctx context.Context, who rights.Identity, f FindingFilter) ([]store.FindingSum, error) {
	filter, err := s.findings(ctx, who, f)
	if err != nil {
		return nil, err
	}
	if filter.State != store.FindingOpen {
		if filter.Since.IsZero() {
			filter.Since = s.Now().Add(-closedSpan)
		}
		return s.Read(ctx).SumClosedFindings(filter, filter.Since)
	}
	type key struct{ unit, kind string }
	list := []store.FindingSum{}
	for k, c := range countOpen(s, filter, func(_ *fleetview.Device, x *store.ViewFinding) []key {
		return []key{{x.Unit, x.Kind}}
	}) {
		list = append(list, store.FindingSum{
			Unit: k.unit, Kind: k.kind, Findings: c.Findings, Devices: c.Devices, Oldest: c.Oldest,
		})
	}
	slices.SortFunc(list, func(a, b store.FindingSum) int {
		return cmp.Or(cmp.Compare(b.Devices, a.Devices), cmp.Compare(a.Unit, b.Unit), cmp.Compare(a.Kind, b.Kind))
	})
	return list, nil
}
