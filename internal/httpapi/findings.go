package httpapi

import (
	"context"
	"encoding/json"
	"net/http"

	"rankwarden.example/core/resolve"
	"rankwarden.example/core/words"
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
	unit, err := resolve.ParseUnit(name)
	if err != nil {
		return name
	}
	return words.UnitInFull(unit)
}

// FindingQuery narrows a list of findings.
type FindingQuery struct {
	State string `query:"state" enum:"open,settled,put_right" default:"open"`
	Unit  string `query:"unit"`
	Kind  string `query:"kind"`
	Group string `query:"group"`
}

func (q FindingQuery) filter() store.FindingFilter {
	return store.FindingFilter{State: q.State, Unit: q.Unit, Kind: q.Kind, Group: q.Group}
}

func (a *api) findings() {
	register(a, operation{method: http.MethodGet, path: "/findings", id: "list-findings", summary: "Findings, newest first"},
		func(ctx context.Context, _ auth.Identity, in *struct {
			Paged
			FindingQuery
		}) (*List[FindingSummary], error) {
			list, next, err := a.Service.Findings(ctx, in.filter(), in.page())
			return listOf(list, next, err, viewFinding)
		})
	register(a, operation{method: http.MethodGet, path: "/finding-sums", id: "finding-sums", summary: "Numbers of findings by unit and kind, most devices first"},
		func(ctx context.Context, _ auth.Identity, in *FindingQuery) (*struct {
			Body struct {
				Items []FindingSum `json:"items" nullable:"false"`
			}
		}, error) {
			sums, err := a.Service.SumFindings(ctx, in.filter())
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
