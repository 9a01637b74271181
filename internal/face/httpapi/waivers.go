package httpapi

import (
	"context"
	"time"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/room/reporting"
	"rankwarden.example/internal/store"
)

func viewWaiver(w store.Waiver) api.Waiver {
	return api.Waiver{
		ID: w.ID, Device: w.Device, DeviceID: w.DeviceID, Unit: w.Unit, UnitTitle: unitTitle(w.Unit),
		Subject: w.Subject,
		Words:   w.Words, State: w.State, Reason: w.Reason, Until: w.Until, MadeBy: w.MadeBy, MadeAt: w.MadeAt,
		ApprovedBy: w.ApprovedBy, EndedBy: w.EndedBy, EndedAt: w.EndedAt,
	}
}

func (a *routes) waiversRoutes() {
	register(a, operation.ListWaivers, a.listWaivers)
	register(a, operation.WaiveFindings, a.waiveFindings)
	register(a, operation.EndWaiver, a.endWaiver)
	register(a, operation.DecideWaiver, a.decideWaiver)
}

func (a *routes) listWaivers(ctx context.Context, who rights.Identity, in *struct {
	PageQuery
	State  string `query:"state" doc:"waiting, active or ended"`
	Device string `query:"device" maxLength:"100" doc:"Identifier or name"`
	Ending bool   `query:"ending" doc:"Only those that are about to end"`
}) (*List[api.Waiver], error) {
	f := reporting.WaiverFilter{State: in.State, Device: in.Device, Ending: in.Ending}
	list, next, err := a.Reporting.Waivers(ctx, who, f, in.page())
	return listOf(list, next, err, viewWaiver)
}

// waiveFindings accepts findings until a day. Where a second person must agree, the waiver waits.
func (a *routes) waiveFindings(ctx context.Context, who rights.Identity, in *struct {
	Body struct {
		Findings []int64   `json:"findings" minItems:"1" maxItems:"500" nullable:"false" doc:"Identifiers of open findings"`
		Until    time.Time `json:"until" doc:"When it ends, within a year"`
		Reason   string    `json:"reason" maxLength:"2000"`
	}
}) (*whole[api.Waiver], error) {
	b := in.Body
	list, err := a.Devices.Waive(ctx, who, b.Findings, b.Until, b.Reason, store.Finding.Words)
	out := &whole[api.Waiver]{}
	out.Body.Items = make([]api.Waiver, len(list))
	for i, w := range list {
		out.Body.Items[i] = viewWaiver(w)
	}
	return out, err
}

func (a *routes) endWaiver(ctx context.Context, who rights.Identity, in *NamePath) (*Empty, error) {
	return &Empty{}, a.Devices.EndWaiver(ctx, who, in.Name)
}

func (a *routes) decideWaiver(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	Body struct {
		Agree bool `json:"agree"`
	}
}) (*Empty, error) {
	return &Empty{}, a.Devices.DecideWaiver(ctx, who, in.Name, in.Body.Agree)
}
