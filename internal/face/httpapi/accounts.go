package httpapi

import (
	"context"

	"rankwarden.example/api"
	"rankwarden.example/core/inventory"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/present"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/store"
)

func (a *routes) accountsRoutes() {
	register(a, operation.ListAccounts, a.listAccounts)
	register(a, operation.ListAccountDevices, a.listAccountDevices)
	register(a, operation.ListMemberships, a.listMemberships)
	register(a, operation.DeviceAdministrators, a.deviceAdministrators)
	register(a, operation.DeviceInventoryChanges, a.deviceInventoryChanges)
}

func viewMember(m store.LocalMember) api.LocalMember {
	return api.LocalMember{
		Device: m.Device, DeviceID: m.DeviceID, LocalGroup: m.GroupName, SID: m.SID, Name: m.Name,
		Privileged: m.Privileged, Local: m.Local, Enabled: m.Enabled, Key: m.Key, Builtin: m.Builtin, Since: m.Since,
		Via: m.Via, Through: append([]string{}, m.Through...), WantedBy: append([]string{}, m.WantedBy...),
		LastSignIn: m.LastSignIn, How: present.MemberHow(m.Through, m.Via),
	}
}

func (a *routes) listAccounts(ctx context.Context, who rights.Identity, in *struct {
	PageQuery
	Search     string `query:"search"     maxLength:"200" doc:"Part of a name"`
	Unknown    bool   `query:"unknown"    doc:"Only names of accounts that no policy manages and that are not built in"`
	Privileged bool   `query:"privileged" doc:"Only names of accounts that can take a device over"`
	Group      string `query:"group"      maxLength:"63"  doc:"Only on devices of this group"`
}) (*List[api.AccountName], error) {
	list, next, err := a.Accounts.Names(ctx, who, in.Group, fleetview.AccountFilter{
		Search: in.Search, Unknown: in.Unknown, Privileged: in.Privileged}, in.page())
	return listOf(list, next, err, func(n store.AccountName) api.AccountName { return api.AccountName(n) })
}

func (a *routes) listAccountDevices(ctx context.Context, who rights.Identity, in *struct {
	PageQuery
	Name string `query:"name" required:"true" minLength:"1" maxLength:"300"`
}) (*List[api.LocalAccount], error) {
	list, next, err := a.Accounts.Named(ctx, who, in.Name, in.page())
	return listOf(list, next, err, viewAccount)
}

func (a *routes) listMemberships(ctx context.Context, who rights.Identity, in *struct {
	PageQuery
	Principal string `query:"principal" required:"true" minLength:"1" maxLength:"500" doc:"user:, group:, sid:, guid:, or the name of a local account"`
	All       bool   `query:"all"       doc:"In any local group"`
}) (*List[api.LocalMember], error) {
	list, next, err := a.Accounts.Where(ctx, who, in.Principal, in.All, in.page())
	return listOf(list, next, err, viewMember)
}

func (a *routes) deviceAdministrators(
	ctx context.Context, who rights.Identity, in *NamePath,
) (*List[api.LocalMember], error) {
	list, err := a.Accounts.Administrators(ctx, who, in.Name)
	return listOf(list, "", err, viewMember)
}

func (a *routes) deviceInventoryChanges(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	PageQuery
}) (*List[api.InventoryChange], error) {
	list, next, err := a.Accounts.Changes(ctx, who, in.Name, in.page())
	return listOf(list, next, err, func(c store.InventoryChange) api.InventoryChange {
		sid, _ := principal.ParseSID(c.SID) // what is stored is canonical, and reads back
		return api.InventoryChange{
			At: c.At, Kind: c.Kind, SID: c.SID, Name: c.Name, LocalGroup: c.GroupName, Former: c.Former,
			Privileged: c.Privileged,
			Words: present.InventoryChange(inventory.Change{Kind: inventory.Kind(c.Kind), SID: sid, Name: c.Name,
				Group: c.GroupName, Former: c.Former}),
		}
	})
}
