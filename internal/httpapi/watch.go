package httpapi

import (
	"context"
	"net/http"
	"time"

	"rankwarden.example/core/present"
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
	register(a, auth.Look, operation{method: http.MethodGet, path: "/held-settings", id: "list-held-settings", summary: "Settings that are held, by reason, most devices first"},
		func(ctx context.Context, who auth.Identity, in *struct {
			Group string `query:"group" doc:"Only on the devices of this group"`
		}) (*whole[HeldSetting], error) {
			list, err := a.Service.HeldSettings(ctx, who, in.Group)
			out := &whole[HeldSetting]{}
			out.Body.Items = make([]HeldSetting, len(list))
			for i, h := range list {
				out.Body.Items[i] = HeldSetting{Unit: service.HeldName(h.Unit), UnitTitle: present.UnitInFull(h.Unit), Reason: h.Why, Words: h.Detail, Devices: h.Devices, Device: h.Device.Name, DeviceID: h.Device.ID, Between: h.Between}
			}
			return out, err
		})
	register(a, auth.Look, operation{method: http.MethodGet, path: "/locked-accounts", id: "list-locked-accounts", summary: "Accounts that are locked after wrong passwords, by device"},
		func(ctx context.Context, who auth.Identity, in *struct {
			Paged
			Group string `query:"group" doc:"Only on the devices of this group"`
		}) (*List[LockedAccount], error) {
			list, next, err := a.Service.LockedAccounts(ctx, who, in.Group, in.page())
			return listOf(list, next, err, func(l service.LockedAccount) LockedAccount {
				return LockedAccount{Device: l.Device.Name, DeviceID: l.Device.ID, Name: l.Account.Name, SID: l.Account.SID, LockedUntil: l.Account.Until}
			})
		})
}

func viewOverview(o service.Overview, at time.Time) Overview {
	v := Overview{At: at, Devices: o.Verified.Devices, Online: o.Verified.Online, Verified: o.Verified.Verified, OnlineVerified: o.Verified.OnlineVerified,
		Unsettled: o.Unsettled, Standings: viewStandings(o.Standings), Strips: []Strip{}, Decisions: []Decision{}, Edits: []Edit{}, Findings: []FindingSummary{}}
	for _, s := range o.Strips {
		strip := Strip{Group: s.Name, Standings: viewStandings(s.Counts), Marks: []Mark{}}
		for _, m := range s.Marks {
			strip.Marks = append(strip.Marks, Mark{DeviceID: m.ID, Device: m.Name, Standing: string(m.Standing)})
		}
		v.Strips = append(v.Strips, strip)
	}
	for _, d := range o.Decisions {
		v.Decisions = append(v.Decisions, Decision(d))
	}
	for _, e := range o.Edits {
		v.Edits = append(v.Edits, Edit{At: e.At, Operator: e.Actor, Action: e.Action, Object: e.Object})
	}
	for _, f := range o.Findings {
		v.Findings = append(v.Findings, viewFinding(f))
	}
	return v
}
