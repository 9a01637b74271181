package httpapi

import (
	"context"
	"time"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/room/passwords"
	"rankwarden.example/internal/store"
)

func (a *routes) sheetsRoutes() {
	register(a, operation.ListSheets, a.listSheets)
	register(a, operation.ShowSheet, a.showSheet)
	register(a, operation.MakeSheet, a.makeSheet)
	register(a, operation.DecideSheet, a.decideSheet)
	register(a, operation.CollectSheet, a.collectSheet)
}

func viewSheet(s passwords.Sheet) api.Sheet {
	return api.Sheet{ID: s.ID, State: s.State, Recipient: s.Recipient, Reason: s.Reason,
		Needs: append([]string{}, s.Needs...), AskedBy: s.AskedBy, AskedAt: s.AskedAt, DecidedBy: s.DecidedBy,
		DecidedAt: s.DecidedAt, MadeAt: s.MadeAt, EndsAt: s.EndsAt, Valid: s.Valid(),
		Devices: each(s.Devices, func(d store.SheetDevice) api.SheetDevice {
			return api.SheetDevice{Device: d.Name, DeviceID: d.ID, Passwords: d.Passwords, Valid: d.Valid,
				OrderedAt: d.OrderedAt}
		})}
}

type madeSheet struct{ Body api.MadeSheet }

func viewMadeSheet(m passwords.MadeSheet) *madeSheet {
	return &madeSheet{api.MadeSheet{Sheet: viewSheet(m.Sheet), Sealed: m.Sealed, Page: m.Page,
		Passphrase: m.Passphrase, Without: append([]string{}, m.Without...)}}
}

func (a *routes) listSheets(ctx context.Context, who rights.Identity, in *PageQuery) (*List[api.Sheet], error) {
	list, next, err := a.Passwords.Sheets(ctx, who, in.page())
	return listOf(list, next, err, viewSheet)
}

func (a *routes) showSheet(
	ctx context.Context, who rights.Identity, in *NamePath,
) (*struct{ Body api.Sheet }, error) {
	found, err := a.Passwords.ShowSheet(ctx, who, in.Name)
	return &struct{ Body api.Sheet }{viewSheet(found)}, err
}

// makeSheet makes one. Where a second person must approve it, it waits, and the answer has nothing sealed.
func (a *routes) makeSheet(ctx context.Context, who rights.Identity, in *struct {
	Body api.SheetSpec
}) (*madeSheet, error) {
	b := in.Body
	made, err := a.Passwords.AskSheet(ctx, who, passwords.SheetRequest{Devices: b.Devices, Group: b.Group,
		Recipient: b.Recipient, Lasts: time.Duration(b.Hours) * time.Hour, Reason: b.Reason})
	return viewMadeSheet(made), err
}

func (a *routes) decideSheet(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	Body struct {
		Approve bool `json:"approve"`
	}
}) (*Empty, error) {
	return &Empty{}, a.Passwords.DecideSheet(ctx, who, in.Name, in.Body.Approve)
}

func (a *routes) collectSheet(ctx context.Context, who rights.Identity, in *NamePath) (*madeSheet, error) {
	made, err := a.Passwords.CollectSheet(ctx, who, in.Name)
	return viewMadeSheet(made), err
}
