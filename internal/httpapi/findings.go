package httpapi

import (
	"context"
	"encoding/json"
	"net/http"

	"rankwarden.example/core/present"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/service"
	"rankwarden.example/internal/store"
)

func viewFinding(f store.Finding) FindingSummary {
	raw := func(s *string) json.RawMessage {
		if s == nil {
			return json.RawMessage("null")
		}
		return json.RawMessage(*s)
	}
	return FindingSummary{ID: f.ID, Device: f.Device, DeviceID: f.DeviceID, Unit: f.Unit, UnitTitle: unitTitle(f.Unit), Kind: f.Kind, Subject: f.Subject, Words: service.FindingWords(f), Expected: raw(f.Expected), Actual: raw(f.Actual),
		Assignments: append([]string{}, f.Assignments...), State: f.State, FirstSeen: f.FirstSeen, LastSeen: f.LastSeen, ClosedAt: f.ClosedAt}
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
	State string `query:"state" enum:"open,settled,corrected" default:"open"`
	Unit  string `query:"unit" maxLength:"300" doc:"As in documents, such as membership.administrators, or as it is shown, such as administrators"`
	Kind  string `query:"kind" doc:"Without one, the list leaves out unit_unsupported: what a platform does not support"`
	PastQuery
}

func (q FindingQuery) filter() service.FindingFilter {
	return service.FindingFilter{Past: q.past(), State: q.State, Unit: q.Unit, Kind: q.Kind}
}

func (a *api) findings() {
	register(a, auth.Look, operation{method: http.MethodGet, path: "/findings", id: "list-findings", summary: "Findings, newest first"},
		func(ctx context.Context, who auth.Identity, in *struct {
			Paged
			FindingQuery
		}) (*List[FindingSummary], error) {
			list, next, err := a.Service.Findings(ctx, who, in.filter(), in.page())
			return listOf(list, next, err, viewFinding)
		})
	register(a, auth.Look, operation{method: http.MethodGet, path: "/finding-sums", id: "finding-sums", summary: "Numbers of findings by unit and kind, most devices first"},
		func(ctx context.Context, who auth.Identity, in *FindingQuery) (*struct {
			Body struct {
				Items []FindingSum `json:"items" nullable:"false"`
			}
		}, error) {
			sums, err := a.Service.SumFindings(ctx, who, in.filter())
			out := &struct {
				Body struct {
					Items []FindingSum `json:"items" nullable:"false"`
				}
			}{}
			out.Body.Items = []FindingSum{}
			for _, s := range sums {
				out.Body.Items = append(out.Body.Items, FindingSum{Unit: s.Unit, UnitTitle: unitTitle(s.Unit), Kind: s.Kind, Findings: s.Findings, Devices: s.Devices, Oldest: s.Oldest})
			}
			return out, err
		})
}
