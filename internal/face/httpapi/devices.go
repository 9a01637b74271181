package httpapi

import (
	"context"
	"time"

	"rankwarden.example/api"
	"rankwarden.example/core/drift"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/present"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/room/access"
	"rankwarden.example/internal/room/reporting"
	"rankwarden.example/internal/store"
)

// viewDevice shows a device as lists do.
func viewDevice(d store.Device) api.Device {
	return api.Device{
		ID:                 d.ID,
		Name:               d.Name,
		State:              d.State,
		Standing:           string(d.Standing),
		Platform:           d.Platform,
		OSVersion:          d.OSVersion,
		OSBuild:            d.OSBuild,
		AgentVersion:       d.AgentVersion,
		Model:              d.Model,
		Serial:             d.Serial,
		Path:               d.Path,
		Tags:               append([]string{}, d.Tags...),
		PrimaryUser:        d.PrimaryUser,
		PrimaryUserLearned: d.PrimaryUserLearned,
		UserGroups:         append([]string{}, d.UserGroups...),
		NameRefused:        d.NameRefused,
		RepeatedlyReverted: unitNames(d.RepeatedlyReverted),
		OpenFindings:       d.OpenFindings,
		HeldUnits:          d.HeldUnits,
		Desired:            d.DesiredNumber,
		Reported:           d.ReportedNumber,
		LastContact:        d.LastContact,
		DesiredAt:          d.DesiredAt,
		ReportedAt:         d.ReportedAt,
		VerifiedAt:         d.VerifiedAt,
		EnrolledAt:         d.EnrolledAt,
	}
}

func unitNames(units []unit.ID) []string {
	names := make([]string, len(units))
	for i, u := range units {
		names[i] = u.String()
	}
	return names
}

// viewUnit shows one setting of a device: what is desired, what is reported, which assignment decided, and what
// differs.
func viewUnit(a reporting.SettingWhy, aims []api.DeviceAim) api.UnitWhy {
	u := api.UnitWhy{
		Unit:               a.Unit.String(),
		Section:            a.Section,
		Title:              a.Title,
		Desired:            a.Desired,
		Reported:           a.Reported,
		DecidedBy:          a.DecidedBy,
		Verdict:            string(a.Settled.Verdict),
		Value:              a.Settled.Value,
		From:               append([]string{}, a.Settled.From...),
		Over:               []api.Loser{},
		Held:               a.HeldWhy,
		InStep:             a.InStep(),
		Findings:           unitFindings(a),
		RepeatedlyReverted: a.RepeatedlyReverted,
	}
	u.Warrants = make([]api.UnitWarrant, len(a.Warrants))
	for i, h := range a.Warrants {
		does := h.On(a.DesiredValue)
		u.Warrants[i] = api.UnitWarrant{Principal: h.Principal.String(), Until: h.Until, Effect: string(does),
			Words: present.Warrant(h.Principal, does, present.Instant(h.Until))}
	}
	for _, aim := range aims {
		if len(u.From) > 0 && aim.Assignment == u.From[0] {
			u.Rank = aim.Rank
		}
	}
	for _, l := range a.Settled.Over {
		u.Over = append(u.Over, api.Loser{
			Assignment: l.Assignment,
			Rank:       int(l.Rank),
			Claim:      present.Value(a.Unit, l.Value),
			Why:        present.Lost(l),
		})
	}
	if t := a.Trial; t != nil {
		u.Trial = &api.UnitTrial{
			Desired:   t.Desired,
			DecidedBy: t.DecidedBy,
			Verdict:   string(t.Settled.Verdict),
			Value:     t.Settled.Value,
			Effects:   api.Effects(t.Effects),
		}
	}
	return u
}

func unitFindings(a reporting.SettingWhy) []api.UnitFinding {
	out := make([]api.UnitFinding, len(a.Findings))
	for i, f := range a.Findings {
		out[i] = api.UnitFinding{
			Kind:    string(f.Kind),
			Subject: f.Subject,
			Words:   present.Finding(f),
			Drifts:  f.Drifts(),
			Waived:  a.WaivedUntil(f),
		}
	}
	return out
}

// viewWhy shows everything that is known of a device. Accounts and local groups are there only once it has reported.
func viewWhy(w reporting.DeviceWhy) api.DeviceWhy {
	out := api.DeviceWhy{
		At:          w.At,
		Device:      viewDevice(w.Device),
		Notes:       append([]string{}, w.Notes...),
		Assignments: []api.DeviceAim{},
		Units:       []api.UnitWhy{},
		Problems:    []api.DeviceProblem{},
		Accounts:    []api.Account{},
		LocalGroups: []api.LocalGroup{},
		Happened:    []api.Event{},
		Orders:      []api.Order{},
		Events:      []api.Finding{},
	}
	for _, a := range w.Assignments {
		out.Assignments = append(out.Assignments, api.DeviceAim{
			Assignment: a.Name,
			Policy:     a.Policy,
			Revision:   a.Revision,
			Rank:       a.Rank,
			Stance:     a.Stance,
			Reason:     string(a.Outcome),
		})
	}
	for _, u := range w.Units {
		out.Units = append(out.Units, viewUnit(u, out.Assignments))
	}
	for _, p := range w.Problems {
		said := present.Problem(p)
		if p.Code == resolve.UndecidedScope && w.Undecided[p.Unit] != "" {
			said = w.Undecided[p.Unit]
		}
		out.Problems = append(
			out.Problems,
			api.DeviceProblem{Code: string(p.Code), Severity: string(p.Severity), Unit: p.Unit, Words: said},
		)
	}
	if w.Reported == nil {
		return out
	}
	for _, a := range w.Reported.Accounts {
		out.Accounts = append(out.Accounts, api.Account{
			Name:     a.Name,
			SID:      a.SID.String(),
			Builtin:  a.Builtin,
			Key:      a.Key,
			FullName: a.FullName,
			Enabled:  a.Enabled,
			Locked:   a.Locked,
			Until:    a.LockedUntil,
		})
	}
	for _, g := range w.Reported.LocalGroups {
		group := api.LocalGroup{Name: g.LocalGroup, SID: g.SID.String(), Members: []string{}}
		for _, m := range g.Members {
			group.Members = append(group.Members, w.Reported.Name(m.SID, w.Directory).String())
		}
		out.LocalGroups = append(out.LocalGroups, group)
	}
	return out
}

// DeviceQuery narrows a list of devices.
type DeviceQuery struct {
	Search   string `query:"search" maxLength:"100" doc:"Part of name, serial, model, platform, version, path, primary user or a tag, or the beginning of the name of a local account that is not built in"`
	Standing string `query:"standing" enum:"in_step,drifted,waiting,held,silent"`
	Group    string `query:"group" doc:"Name of a group"`
	State    string `query:"state" enum:"live,claiming,refused,retired" default:"live"`
	Unknown  string `query:"unknown_accounts" enum:"some,privileged" doc:"Only with accounts that no policy manages and that are not built in; privileged where one of them can take the device over"`
}

func (q DeviceQuery) filter() reporting.DeviceFilter {
	return reporting.DeviceFilter{Search: q.Search, Standing: drift.Standing(q.Standing), Group: q.Group,
		State: q.State, Unknown: q.Unknown}
}

func (a *routes) why(ctx context.Context, who rights.Identity, name string, at time.Time) (reporting.DeviceWhy, error) {
	if at.IsZero() {
		return a.Reporting.Why(ctx, who, name)
	}
	return a.Reporting.WhyAt(ctx, who, name, at)
}

func (a *routes) devicesRoutes() {
	register(a, operation.ListDevices, a.listDevices)
	register(a, operation.DeviceStandings, a.deviceStandings)
	register(a, operation.ShowDevice, a.showDevice)
	register(a, operation.DeviceWhy, a.deviceWhy)
	register(a, operation.SettingHistory, a.settingHistory)
	register(a, operation.DevicePeople, a.devicePeople)
	register(a, operation.AcceptDevice, a.acceptDevice)
	register(a, operation.RefuseDevice, a.refuseDevice)
	a.endOfLifeRoutes()
}

func (a *routes) listDevices(ctx context.Context, who rights.Identity, in *struct {
	PageQuery
	DeviceQuery
}) (*List[api.Device], error) {
	list, next, err := a.Reporting.Devices(ctx, who, in.filter(), in.page())
	if err != nil || in.State != store.Retired {
		return listOf(list, next, err, viewDevice)
	}
	ids := make([]string, len(list))
	for i, d := range list {
		ids[i] = d.ID
	}
	why, err := a.Devices.Retirements(ctx, ids...)
	return listOf(list, next, err, func(d store.Device) api.Device { return withRetirement(viewDevice(d), why) })
}

func (a *routes) deviceStandings(
	ctx context.Context, who rights.Identity, in *DeviceQuery,
) (*struct{ Body api.Standings }, error) {
	c, err := a.Reporting.CountDevices(ctx, who, in.filter())
	return &struct{ Body api.Standings }{viewStandings(c)}, err
}

func (a *routes) showDevice(
	ctx context.Context, who rights.Identity, in *NamePath,
) (*struct{ Body api.Device }, error) {
	d, err := a.Reporting.Device(ctx, who, in.Name)
	if err != nil {
		return nil, err
	}
	why, err := a.Devices.Retirements(ctx, d.ID)
	return &struct{ Body api.Device }{withRetirement(viewDevice(d), why)}, err
}

// deviceWhy answers with everything that is known of a device, now or at a time of the past.
func (a *routes) deviceWhy(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	At time.Time `query:"at" doc:"As it was at this time; now when left out"`
}) (*struct{ Body api.DeviceWhy }, error) {
	w, err := a.why(ctx, who, in.Name, in.At)
	if err != nil {
		return nil, err
	}
	out := viewWhy(w)
	retired, err := a.Devices.Retirements(ctx, w.Device.ID)
	if err != nil {
		return nil, err
	}
	out.Device = withRetirement(out.Device, retired)
	past := reach.Past{Device: w.Device.ID, Until: in.At}
	orders, _, err := a.Devices.Orders(ctx, who, past, store.Page{Limit: 5})
	if err != nil {
		return nil, err
	}
	for _, o := range orders {
		out.Orders = append(out.Orders, viewOrder(o))
	}
	happened, _, err := a.Reporting.Events(ctx, who, reporting.EventFilter{Past: past}, store.Page{Limit: 30})
	if err != nil {
		return nil, err
	}
	for _, e := range happened {
		out.Happened = append(out.Happened, viewEvent(e))
	}
	history, _, err := a.Reporting.Findings(ctx, who, reporting.FindingFilter{Past: past}, store.Page{Limit: 20})
	for _, f := range history {
		out.Events = append(out.Events, viewFinding(f))
	}
	return &struct{ Body api.DeviceWhy }{out}, err
}

// settingHistory lists what happened to one setting of a device, the latest first.
func (a *routes) settingHistory(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	Setting string `query:"setting" required:"true" maxLength:"300" doc:"As in documents, such as membership.administrators, or as it is shown, such as administrators"`
}) (*struct{ Body api.SettingHistory }, error) {
	list, err := a.Reporting.SettingHistory(ctx, who, in.Name, in.Setting)
	out := api.SettingHistory{Items: []api.Happened{}}
	if id, err := present.ParseUnit(in.Setting); err == nil {
		out.Title = present.UnitInFull(id)
	}
	for _, h := range list {
		out.Items = append(out.Items, api.Happened(h))
	}
	return &struct{ Body api.SettingHistory }{out}, err
}

func (a *routes) devicePeople(ctx context.Context, _ rights.Identity, in *struct {
	NamePath
	PageQuery
	Right string `query:"right" enum:"look,reveal,handle,ask,draft,deploy,trail,administer" doc:"Only those who have it"`
}) (*List[api.DevicePerson], error) {
	list, next, err := a.Access.DevicePeople(ctx, in.Name, rights.Right(in.Right), in.page())
	return listOf(list, next, err, func(p access.Person) api.DevicePerson {
		view := api.DevicePerson{Name: p.Name, Rights: []string{}, Roles: viewRoles(p.Roles),
			AtProvider: p.Issuer != "", Sealed: p.SealedAt != nil}
		for _, right := range p.Rights {
			view.Rights = append(view.Rights, string(right))
		}
		return view
	})
}

func (a *routes) acceptDevice(ctx context.Context, who rights.Identity, in *NamePath) (*Empty, error) {
	d, err := a.Reporting.Device(ctx, who, in.Name)
	if err != nil {
		return nil, err
	}
	return &Empty{}, a.Devices.DecideClaim(ctx, who, d.ID, true)
}

func (a *routes) refuseDevice(ctx context.Context, who rights.Identity, in *NamePath) (*Empty, error) {
	d, err := a.Reporting.Device(ctx, who, in.Name)
	if err != nil {
		return nil, err
	}
	return &Empty{}, a.Devices.DecideClaim(ctx, who, d.ID, false)
}
