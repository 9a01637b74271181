package httpapi

import (
	"context"
	"net/http"
	"time"

	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/service"
)

func (a *api) watch() {
	register(a, auth.Look, operation{method: http.MethodGet, path: "/watch", id: "watch", summary: "The fleet now"},
		func(ctx context.Context, who auth.Identity, in *struct {
			Group string `query:"group" doc:"Only the devices of this group"`
		}) (*struct{ Body Overview }, error) {
			o, err := a.Service.Watch(ctx, who, in.Group)
			return &struct{ Body Overview }{viewOverview(o, a.Service.Now())}, err
		})
}

func viewOverview(o service.Overview, at time.Time) Overview {
	v := Overview{At: at, Devices: o.Verified.Devices, Online: o.Verified.Online, Verified: o.Verified.Verified, OnlineVerified: o.Verified.OnlineVerified,
		Unsettled: o.Unsettled, Standings: viewStandings(o.Standings), Strips: []Strip{}, Decisions: []Decision{}, Edits: []Edit{}, Findings: []FindingSummary{}}
	for _, s := range o.Strips {
		strip := Strip{Group: s.Name, Standings: viewStandings(s.Counts), Marks: []Mark{}}
		for _, m := range s.Marks {
			strip.Marks = append(strip.Marks, Mark{Device: m.ID, Name: m.Name, Standing: string(m.Standing)})
		}
		v.Strips = append(v.Strips, strip)
	}
	for _, d := range o.Decisions {
		v.Decisions = append(v.Decisions, Decision(d))
	}
	for _, e := range o.Edits {
		v.Edits = append(v.Edits, Edit{At: e.At, Who: e.Actor, Action: e.Action, Object: e.Object})
	}
	for _, f := range o.Findings {
		v.Findings = append(v.Findings, viewFinding(f))
	}
	return v
}
