package httpapi

import (
	"context"
	"time"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/room/warrants"
)

func (a *routes) warrantsRoutes() {
	register(a, operation.ListWarrants, a.listWarrants)
	register(a, operation.ShowWarrant, a.showWarrant)
	register(a, operation.AskWarrant, a.askWarrant)
	register(a, operation.DecideWarrant, a.decideWarrant)
	register(a, operation.TakeBackWarrant, a.takeBackWarrant)
}

// viewWarrant shows a warrant as it stands now.
func (a *routes) viewWarrant(w warrants.Warrant) api.Warrant {
	names := make([]string, len(w.Devices))
	for i, d := range w.Devices {
		names[i] = d.Name
	}
	return api.Warrant{
		ID: w.ID, Principal: w.Principal, Unit: w.Unit, UnitTitle: unitTitle(w.Unit), Devices: names, Group: w.Group,
		State: w.State, Runs: w.Runs(a.Warrants.Now()), From: w.StartsAt, Until: w.EndsAt, Minutes: w.LastsSeconds / 60,
		Reason: w.Reason, Ticket: w.Ticket, Despite: w.Despite, EndSessions: w.EndSessions,
		Needs: append([]string{}, w.Needs...), People: append([]string{}, w.People...),
		AskedBy: w.AskedBy, AskedAt: w.AskedAt, DecidedBy: w.DecidedBy, DecidedAt: w.DecidedAt,
		EndedBy: w.EndedBy, EndedAt: w.EndedAt, Like: w.Like,
	}
}

func (a *routes) listWarrants(ctx context.Context, who rights.Identity, in *struct {
	PageQuery
	State  string `query:"state" enum:"waiting,agreed,refused,taken_back,ended"`
	Open   bool   `query:"open" doc:"Only those that wait, run or will"`
	Device string `query:"device" maxLength:"100" doc:"Identifier or name"`
}) (*List[api.Warrant], error) {
	f := warrants.Filter{State: in.State, Open: in.Open, Device: in.Device}
	list, next, err := a.Warrants.List(ctx, who, f, in.page())
	return listOf(list, next, err, a.viewWarrant)
}

type warrantAnswer struct{ Body api.Warrant }

func (a *routes) showWarrant(ctx context.Context, who rights.Identity, in *NamePath) (*warrantAnswer, error) {
	w, err := a.Warrants.Show(ctx, who, in.Name)
	return &warrantAnswer{a.viewWarrant(w)}, err
}

// askWarrant asks for one. Where somebody else must agree, it waits.
func (a *routes) askWarrant(ctx context.Context, who rights.Identity, in *struct {
	Body api.WarrantSpec
}) (*warrantAnswer, error) {
	b := in.Body
	w, err := a.Warrants.Ask(ctx, who, warrants.Asking{Principal: b.Principal, LocalGroup: b.LocalGroup,
		Devices: b.Devices, Group: b.Group, From: b.From, Lasts: time.Duration(b.Minutes) * time.Minute,
		Reason: b.Reason, Ticket: b.Ticket, Despite: b.Despite, EndSessions: b.EndSessions})
	return &warrantAnswer{a.viewWarrant(w)}, err
}

func (a *routes) decideWarrant(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	Body struct {
		Agree  bool   `json:"agree"`
		Reason string `json:"reason,omitempty" maxLength:"2000"`
	}
}) (*Empty, error) {
	return &Empty{}, a.Warrants.Decide(ctx, who, in.Name, in.Body.Agree, in.Body.Reason)
}

func (a *routes) takeBackWarrant(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	Body struct {
		Reason string `json:"reason,omitempty" maxLength:"2000"`
	}
}) (*Empty, error) {
	return &Empty{}, a.Warrants.TakeBack(ctx, who, in.Name, in.Body.Reason)
}
