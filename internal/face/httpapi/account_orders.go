package httpapi

import (
	"context"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/room/devices"
	"rankwarden.example/internal/store"
)

// shownAccounts is how many accounts a preview of an order names.
const shownAccounts = 200

func (a *routes) accountOrdersRoutes() {
	register(a, operation.ListLeftBehind, a.listLeftBehind)
	register(a, operation.PreviewAccountOrder, a.previewAccountOrder)
	register(a, operation.OrderAccount, a.orderAccount)
}

func viewAccount(x store.LocalAccount) api.LocalAccount {
	return api.LocalAccount{
		Device: x.Device, DeviceID: x.DeviceID, Name: x.Name, FullName: x.FullName, SID: x.SID, Enabled: x.Enabled,
		Privileged: x.Privileged, Builtin: x.Builtin, Key: x.Key, PasswordSetAt: x.PasswordSetAt, Since: x.Since,
		LastSignIn: x.LastSignIn, Runs: append([]string{}, x.Runs...),
	}
}

func accountOrder(o api.AccountOrder) devices.AccountOrder {
	return devices.AccountOrder{Remove: o.Do == "remove", Account: o.Account, Devices: o.Devices, Group: o.Group,
		Files: o.Files}
}

func (a *routes) listLeftBehind(ctx context.Context, who rights.Identity, in *struct {
	PageQuery
	Group string `query:"group" maxLength:"63" doc:"Only on devices of this group"`
}) (*List[api.LocalAccount], error) {
	list, next, err := a.Devices.LeftBehind(ctx, who, in.Group, in.page())
	return listOf(list, next, err, viewAccount)
}

func (a *routes) previewAccountOrder(
	ctx context.Context, who rights.Identity, in *struct{ Body api.AccountOrder },
) (*struct{ Body api.AccountOrderPreview }, error) {
	l, err := a.Devices.PreviewLetGo(ctx, who, accountOrder(in.Body))
	if err != nil {
		return nil, err
	}
	p := api.AccountOrderPreview{Digest: l.Digest, Devices: len(l.Devices), Privileged: l.Privileged, Needs: l.Needs,
		Refused: len(l.Accounts) - len(l.Devices), Accounts: []api.OrderedAccount{}}
	for _, x := range l.Accounts[:min(len(l.Accounts), shownAccounts)] {
		p.Accounts = append(p.Accounts, api.OrderedAccount{Device: x.Device, DeviceID: x.DeviceID, Name: x.Name,
			Enabled: x.Enabled, Privileged: x.Privileged, LastSignIn: x.LastSignIn, Refused: x.Refused})
	}
	return &struct{ Body api.AccountOrderPreview }{p}, nil
}

func (a *routes) orderAccount(
	ctx context.Context, who rights.Identity, in *struct{ Body api.SeenAccountOrder },
) (*struct{ Body api.OrderProgress }, error) {
	batch, err := a.Devices.LetGo(ctx, who, accountOrder(in.Body.AccountOrder), in.Body.Digest)
	return &struct{ Body api.OrderProgress }{api.OrderProgress(batch)}, err
}
