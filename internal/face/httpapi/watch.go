package httpapi

import (
	"context"
	"time"

	"rankwarden.example/api"
	"rankwarden.example/core/drift"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/present"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/room/reporting"
)

func (a *routes) watchRoutes() {
	register(a, operation.StandingHistory, a.standingHistory)
	register(a, operation.Watch, a.watch)
	register(a, operation.ListHeldSettings, a.listHeldSettings)
	register(a, operation.ListLockedAccounts, a.listLockedAccounts)
}

// standingHistory gives how a group stood hour by hour.
func (a *routes) standingHistory(ctx context.Context, who rights.Identity, in *struct {
	Group string `query:"group" maxLength:"100" doc:"Name of a group; the fleet when left out"`
	Days  int    `query:"days" minimum:"1" maximum:"400" default:"14"`
}) (*struct {
	Body struct {
		Items []api.StandingHour `json:"items" nullable:"false"`
	}
}, error) {
	hours, err := a.Reporting.StandingHistory(ctx, who, in.Group, in.Days)
	out := &struct {
		Body struct {
			Items []api.StandingHour `json:"items" nullable:"false"`
		}
	}{}
	out.Body.Items = []api.StandingHour{}
	for _, h := range hours {
		out.Body.Items = append(out.Body.Items, api.StandingHour{Hour: h.Hour, Standings: api.Standings{
			InStep: h.InStep, Drifted: h.Drifted, Waiting: h.Waiting, Held: h.Held, Silent: h.Silent}})
	}
	return out, err
}

func (a *routes) watch(ctx context.Context, who rights.Identity, in *struct {
	Group string `query:"group" doc:"Only the devices of this group"`
}) (*struct{ Body api.Overview }, error) {
	o, err := a.Reporting.Watch(ctx, who, in.Group)
	return &struct{ Body api.Overview }{viewOverview(o, a.Now())}, err
}

// listHeldSettings lists the settings that are held on devices in reach, with why.
func (a *routes) listHeldSettings(ctx context.Context, who rights.Identity, in *struct {
	Group string `query:"group" doc:"Only on the devices of this group"`
}) (*whole[api.HeldSetting], error) {
	a.Changed(ctx) // it is asked right after something was settled, and says how many devices that holds
	list, err := a.Reporting.HeldSettings(ctx, who, in.Group)
	out := &whole[api.HeldSetting]{}
	out.Body.Items = make([]api.HeldSetting, len(list))
	for i, h := range list {
		out.Body.Items[i] = api.HeldSetting{
			Unit:      reporting.HeldName(h.Unit),
			UnitTitle: present.UnitInFull(h.Unit),
			Reason:    h.Why,
			Words:     h.Detail,
			Devices:   h.Devices,
			Device:    h.Device.Name,
			DeviceID:  h.Device.ID,
			Between:   h.Between,
		}
	}
	return out, err
}

// listLockedAccounts lists accounts that are locked on devices in reach.
func (a *routes) listLockedAccounts(ctx context.Context, who rights.Identity, in *struct {
	PageQuery
	Group string `query:"group" doc:"Only on the devices of this group"`
}) (*List[api.LockedAccount], error) {
	list, next, err := a.Reporting.LockedAccounts(ctx, who, in.Group, in.page())
	return listOf(list, next, err, func(l reporting.LockedAccount) api.LockedAccount {
		return api.LockedAccount{
			Device:      l.Device.Name,
			DeviceID:    l.Device.ID,
			Name:        l.Account.Name,
			SID:         l.Account.SID,
			LockedUntil: l.Account.Until,
		}
	})
}

// viewOverview shows how the fleet stands, and what waits for a decision.
func viewOverview(o reporting.Overview, at time.Time) api.Overview {
	v := api.Overview{
		At:             at,
		Devices:        o.Verified.Devices,
		Online:         o.Verified.Online,
		Verified:       o.Verified.Verified,
		OnlineReported: o.Verified.OnlineReported,
		OnlineVerified: o.Verified.OnlineVerified,
		Unsettled:      o.Unsettled,
		Standings:      viewStandings(o.Standings),
		Strips:         []api.Strip{},
		Decisions:      []api.Decision{},
		Edits:          []api.Edit{},
		Findings:       []api.Finding{},
		Rollouts:       []api.RolloutSummary{},
		Versions:       []api.AgentVersion{},
	}
	for _, version := range o.Versions {
		v.Versions = append(v.Versions, api.AgentVersion(version))
	}
	for _, r := range o.Rollouts {
		v.Rollouts = append(v.Rollouts, viewRolloutSummary(r))
	}
	for _, s := range o.Strips {
		strip := api.Strip{
			Group:     s.Name,
			Standings: viewStandings(s.Counts),
			Marks:     []api.Mark{},
			Field:     field(s.Field),
		}
		for _, m := range s.Marks {
			strip.Marks = append(strip.Marks, api.Mark{DeviceID: m.ID, Device: m.Name, Standing: string(m.Standing)})
		}
		v.Strips = append(v.Strips, strip)
	}
	for _, d := range o.Decisions {
		v.Decisions = append(v.Decisions, api.Decision(d))
	}
	for _, e := range o.Edits {
		v.Edits = append(v.Edits, api.Edit{At: e.At, Operator: e.Actor, Action: e.Action, Object: e.Object})
	}
	for _, f := range o.Findings {
		v.Findings = append(v.Findings, viewFinding(f))
	}
	return v
}

// letters are how standings are written in a row of thousands.
var letters = map[drift.Standing]byte{
	drift.InStep: 's', drift.Drifted: 'd', drift.Waiting: 'w', drift.Held: 'h', drift.Silent: 'o',
}

func field(standings []drift.Standing) string {
	row := make([]byte, len(standings))
	for i, s := range standings {
		row[i] = letters[s]
	}
	return string(row)
}
