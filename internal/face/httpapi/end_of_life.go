package httpapi

import (
	"context"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/room/devices"
	"rankwarden.example/internal/room/reporting"
	"rankwarden.example/internal/store"
)

// Bounds of handover sheets.
const (
	mostViews  = 500 // of passwords, on one sheet
	mostSheets = 50  // on one page
)

func (a *routes) endOfLifeRoutes() {
	register(a, operation.RetireDevice, a.retireDevice)
	register(a, operation.ReturnDevice, a.returnDevice)
	register(a, operation.DeviceHandover, a.deviceHandover)
	register(a, operation.ListHandovers, a.listHandovers)
}

// withRetirement adds to a device why it was retired, where that is known.
func withRetirement(d api.Device, why map[string]store.Retirement) api.Device {
	if r, known := why[d.ID]; known && d.State == store.Retired {
		d.Retired = &api.Retired{Because: r.Because, Note: r.Note, By: r.RetiredBy, At: r.At,
			PasswordsUntil: r.PasswordsUntil}
	}
	return d
}

func (a *routes) retireDevice(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	Body api.Retirement
}) (*Empty, error) {
	d, err := a.Reporting.Device(ctx, who, in.Name)
	if err != nil {
		return nil, err
	}
	why := devices.Retirement{Because: in.Body.Because, Note: in.Body.Note}
	if in.Body.PasswordsUntil != nil {
		why.Until = *in.Body.PasswordsUntil
	}
	return &Empty{}, a.Devices.Retire(ctx, who, d.ID, why)
}

func (a *routes) returnDevice(ctx context.Context, who rights.Identity, in *NamePath) (*Empty, error) {
	d, err := a.Reporting.Device(ctx, who, in.Name)
	if err != nil {
		return nil, err
	}
	return &Empty{}, a.Devices.Return(ctx, who, d.ID)
}

func (a *routes) deviceHandover(
	ctx context.Context, who rights.Identity, in *NamePath,
) (*struct{ Body api.HandoverSheet }, error) {
	d, err := a.Reporting.Device(ctx, who, in.Name)
	if err != nil {
		return nil, err
	}
	sheet, err := a.handover(ctx, who, d)
	return &struct{ Body api.HandoverSheet }{sheet}, err
}

func (a *routes) listHandovers(ctx context.Context, who rights.Identity, in *struct {
	PageQuery
	Group string `query:"group" required:"true" minLength:"1" maxLength:"63"`
}) (*List[api.HandoverSheet], error) {
	page := in.page()
	page.Limit = min(page.Fits(), mostSheets)
	list, next, err := a.Reporting.Devices(ctx, who, reporting.DeviceFilter{Group: in.Group, State: store.Live}, page)
	sheets := make([]api.HandoverSheet, len(list))
	for i, d := range list {
		if err == nil {
			sheets[i], err = a.handover(ctx, who, d)
		}
	}
	return listOf(sheets, next, err, func(s api.HandoverSheet) api.HandoverSheet { return s })
}

// handover makes and signs the sheet of a device.
func (a *routes) handover(ctx context.Context, who rights.Identity, d store.Device) (api.HandoverSheet, error) {
	none := api.HandoverSheet{}
	h := api.Handover{Format: api.HandoverFormat, Organisation: a.Name, MadeAt: a.Now().UTC(), MadeBy: who.Name,
		Device: d.Name, DeviceID: d.ID, Serial: d.Serial, Model: d.Model, Platform: d.Platform, OSVersion: d.OSVersion,
		EnrolledAt: d.EnrolledAt, LastContact: d.LastContact, Settings: []api.HandoverSetting{},
		Passwords: []api.HandoverAccount{}}
	why, err := a.Devices.Retirements(ctx, d.ID)
	if err != nil {
		return none, err
	}
	h.Retired = withRetirement(viewDevice(d), why).Retired
	w, err := a.Reporting.Why(ctx, who, d.ID)
	if err != nil {
		return none, err
	}
	for _, u := range viewWhy(w).Units {
		h.Settings = append(h.Settings, api.HandoverSetting{Unit: u.Unit, Section: u.Section, Title: u.Title,
			Desired: u.Desired, Reported: u.Reported, InStep: u.InStep, From: u.From})
	}
	administrators, err := a.Accounts.Administrators(ctx, who, d.ID)
	if err != nil {
		return none, err
	}
	h.Administrators = each(administrators, viewMember)
	kept, deposits, _, err := a.Passwords.PasswordsOf(ctx, who, d.ID)
	if err != nil {
		return none, err
	}
	for _, r := range kept {
		h.Passwords = append(h.Passwords, api.HandoverAccount{Account: r.Target, Name: r.Name, ChangedAt: r.ChangedAt,
			Deposits: len(deposits[r.Target])})
	}
	views, _, err := a.Passwords.Reveals(ctx, who, reach.Past{Device: d.ID}, store.Page{Limit: mostViews})
	if err != nil {
		return none, err
	}
	h.Views = each(views, viewReveal)
	sheet := api.HandoverSheet{Handover: h}
	if sheet.Signed, err = a.Devices.SignSheet(h); err != nil {
		return none, err
	}
	sheet.KeyList, _, err = a.Passwords.SignedKeyList(ctx)
	return sheet, err
}
