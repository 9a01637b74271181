package httpapi

import (
	"context"
	"encoding/json"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/present"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/room/reporting"
	"rankwarden.example/internal/store"
)

// viewFinding shows a finding in words, with the values that the words were made of.
func viewFinding(f store.Finding) api.Finding {
	raw := func(s *string) json.RawMessage {
		if s == nil {
			return json.RawMessage("null")
		}
		return json.RawMessage(*s)
	}
	return api.Finding{
		ID:          f.ID,
		Device:      f.Device,
		DeviceID:    f.DeviceID,
		Unit:        f.Unit,
		UnitTitle:   unitTitle(f.Unit),
		Kind:        f.Kind,
		Subject:     f.Subject,
		Words:       f.Words(),
		Drifts:      f.Drifts(),
		Expected:    raw(f.Expected),
		Actual:      raw(f.Actual),
		Via:         f.Via,
		Assignments: append([]string{}, f.Assignments...),
		State:       f.State,
		FirstSeen:   f.FirstSeen,
		LastSeen:    f.LastSeen,
		ClosedAt:    f.ClosedAt,
		CameBack:    f.Earlier.Times, LastClosed: f.Earlier.Closed, LastState: f.Earlier.State,
	}
}

func unitTitle(name string) string {
	id, err := unit.Parse(name)
	if err != nil {
		return name
	}
	return present.UnitInFull(id)
}

// FindingQuery narrows a list of findings.
type FindingQuery struct {
	State      string `query:"state" enum:"open,waived,closed,corrected" default:"open"`
	Unit       string `query:"unit" maxLength:"300" doc:"As in documents, such as membership.administrators, or as it is shown, such as administrators"`
	Kind       string `query:"kind" doc:"Without one, the list leaves out unit_unsupported: what a platform does not support"`
	Assignment string `query:"assignment" maxLength:"63" doc:"Name of an assignment that decided the setting"`
	PastQuery
}

func (q FindingQuery) filter() reporting.FindingFilter {
	return reporting.FindingFilter{Past: q.past(), State: q.State, Unit: q.Unit, Kind: q.Kind, Assignment: q.Assignment}
}

func (a *routes) findingsRoutes() {
	register(a, operation.FindingCounts, a.findingCounts)
	register(a, operation.ListFindings, a.listFindings)
	register(a, operation.FindingSums, a.findingSums)
}

func (a *routes) findingCounts(ctx context.Context, who rights.Identity, in *struct {
	By string `query:"by" required:"true" enum:"assignment,group,device"`
	FindingQuery
}) (*struct{ Body api.FindingCounts }, error) {
	counts, more, err := a.Reporting.CountFindings(ctx, who, reporting.FindingBy(in.By), in.filter())
	out := api.FindingCounts{Items: []api.FindingCount{}, More: more}
	for _, c := range counts {
		out.Items = append(out.Items, api.FindingCount(c))
	}
	return &struct{ Body api.FindingCounts }{out}, err
}

func (a *routes) listFindings(ctx context.Context, who rights.Identity, in *struct {
	PageQuery
	FindingQuery
}) (*List[api.Finding], error) {
	list, next, err := a.Reporting.Findings(ctx, who, in.filter(), in.page())
	return listOf(list, next, err, viewFinding)
}

// findingSums counts findings by setting and kind, over the devices in reach.
func (a *routes) findingSums(ctx context.Context, who rights.Identity, in *FindingQuery) (*struct {
	Body struct {
		Items []api.FindingSum `json:"items" nullable:"false"`
	}
}, error) {
	sums, err := a.Reporting.SumFindings(ctx, who, in.filter())
	out := &struct {
		Body struct {
			Items []api.FindingSum `json:"items" nullable:"false"`
		}
	}{}
	out.Body.Items = []api.FindingSum{}
	for _, s := range sums {
		out.Body.Items = append(out.Body.Items, api.FindingSum{
			Unit:      s.Unit,
			UnitTitle: unitTitle(s.Unit),
			Kind:      s.Kind,
			Findings:  s.Findings,
			Devices:   s.Devices,
			Oldest:    s.Oldest,
		})
	}
	return out, err
}
