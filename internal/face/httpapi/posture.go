package httpapi

import (
	"cmp"
	"context"
	"time"

	"rankwarden.example/api"
	"rankwarden.example/core/drift"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/present"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/room/reporting"
	"rankwarden.example/internal/store"
)

const day = "2006-01-02"

// viewPosture shows the posture of a group over a period.
func viewPosture(p reporting.Posture) api.Posture {
	view := api.Posture{
		Group: p.Group, Since: p.Since.UTC(), Until: p.Until.UTC(), MadeAt: p.MadeAt.UTC(),
		InStep: reporting.InStep(p.Devices),
		Standings: api.Standings{InStep: p.Devices[drift.InStep], Drifted: p.Devices[drift.Drifted],
			Waiting: p.Devices[drift.Waiting],
			Held:    p.Devices[drift.Held], Silent: p.Devices[drift.Silent]},
		Overdue: api.PostureOverdue{Total: p.Overdue.N}, Reveals: api.PostureReveals{Total: p.Reveals.N},
		Waivers: api.PostureWaivers{Total: p.Waivers.N}, Changes: api.PostureChanges{Total: p.Changes.N},
		Warrants: api.PostureWarrants{Total: p.Warrants.N},
	}
	view.Days = each(p.Days, func(h store.StandingHour) api.PostureDay {
		return api.PostureDay{Day: h.Hour.UTC().Format(day), Standings: api.Standings{
			InStep: h.InStep, Drifted: h.Drifted, Waiting: h.Waiting, Held: h.Held, Silent: h.Silent}}
	})
	view.Verified = each(p.Verified, func(v store.VerifiedDay) api.VerifiedDay {
		return api.VerifiedDay{Day: v.Day.UTC().Format(day), Verified: v.Verified, Half: v.Half, Most: v.Most}
	})
	view.Rules = each(p.Rules, func(r store.RuleFindings) api.RuleFindings {
		return api.RuleFindings{Unit: r.Unit, UnitTitle: unitTitle(r.Unit),
			Assignments: append([]string{}, r.Assignments...),
			Opened:      r.Opened, Corrected: r.Corrected, Closed: r.Closed, Open: r.Open, Waived: r.Waived,
			Devices: r.Devices}
	})
	view.Overdue.Items = each(p.Overdue.Items, func(o store.OverduePassword) api.OverduePassword {
		return api.OverduePassword{Device: o.Device, Account: o.Name, ChangedAt: o.ChangedAt, DueAt: o.DueAt}
	})
	view.Reveals.Items = each(p.Reveals.Items, func(r store.RevealSum) api.RevealSum {
		return api.RevealSum{Operator: r.Operator, Reason: r.Reason, Times: r.Times, Devices: r.Devices, Last: r.Last}
	})
	view.Waivers.Items = each(p.Waivers.Items, func(w store.Waiver) api.PostureWaiver {
		return api.PostureWaiver{Device: w.Device, UnitTitle: unitTitle(w.Unit), Words: w.Words, Reason: w.Reason,
			MadeBy:     w.MadeBy,
			ApprovedBy: w.ApprovedBy, MadeAt: w.MadeAt, Until: w.Until, EndedAt: w.EndedAt}
	})
	view.Warrants.Items = each(p.Warrants.Items, func(w store.Warrant) api.PostureWarrant {
		return api.PostureWarrant{ID: w.ID, Principal: w.Principal, UnitTitle: unitTitle(w.Unit), Reason: w.Reason,
			AskedBy: w.AskedBy, AgreedBy: w.DecidedBy, From: *w.StartsAt, Until: *w.EndsAt, EndedAt: w.EndedAt}
	})
	view.Changes.Items = each(p.Changes.Items, func(c store.ClosedChange) api.PostureChange {
		return api.PostureChange{Name: c.Name, Title: c.Title, Reason: c.Reason, State: string(c.State),
			CreatedBy:  c.CreatedBy,
			ApprovedBy: c.ApprovedBy, ClosedAt: *c.ClosedAt} // closed is what they are
	})
	return view
}

// PostureQuery asks for a report.
type PostureQuery struct {
	Group string    `query:"group" maxLength:"100" doc:"Name of a group; every device in reach when left out"`
	Since time.Time `query:"since" doc:"Beginning of the period; 30 days before its end when left out"`
	Until time.Time `query:"until" doc:"End of the period; now when left out"`
}

func (a *routes) postureRoutes() {
	register(a, operation.ReportPosture, a.reportPosture)
	register(a, operation.ReportPostureAsCsv, a.reportPostureAsCsv)
}

// posture reports on a period.
func (a *routes) posture(ctx context.Context, who rights.Identity, q PostureQuery) (api.Posture, error) {
	if q.Since.IsZero() {
		end := q.Until
		if end.IsZero() {
			end = a.Now()
		}
		q.Since = end.AddDate(0, 0, -30)
	}
	p, err := a.Reporting.Posture(ctx, who, q.Group, q.Since, q.Until)
	if err != nil {
		return api.Posture{}, err
	}
	return viewPosture(p), nil
}

func (a *routes) reportPosture(
	ctx context.Context, who rights.Identity, in *PostureQuery,
) (*struct{ Body api.Posture }, error) {
	p, err := a.posture(ctx, who, *in)
	return &struct{ Body api.Posture }{p}, err
}

func (a *routes) reportPostureAsCsv(ctx context.Context, who rights.Identity, in *PostureQuery) (*csvFile, error) {
	p, err := a.posture(ctx, who, *in)
	if err != nil {
		return nil, err
	}
	data, err := postureCSV(p)
	name := "posture-" + p.Since.Format(day) + "-" + p.Until.Format(day) + ".csv"
	return &csvFile{csvText + "; charset=utf-8", `attachment; filename="` + name + `"`, data}, err
}

// csvFile is a table that is saved.
type csvFile struct {
	ContentType        string `header:"Content-Type"`
	ContentDisposition string `header:"Content-Disposition"`
	Body               []byte `contentType:"text/csv"`
}

// settingOf is a setting with the assignments that decide it.
func settingOf(r api.RuleFindings) string {
	return present.DecidedBy(cmp.Or(r.UnitTitle, r.Unit), r.Assignments)
}
