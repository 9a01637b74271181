package httpapi

import (
	"context"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/room/passwords"
	"rankwarden.example/internal/store"
)

// viewPassword shows what is known of a stored password. The password itself is only in the answer to a reveal.
func viewPassword(r store.Rotation) api.Password {
	return api.Password{
		Device:       r.Device,
		DeviceID:     r.DeviceID,
		Serial:       r.Serial,
		Standing:     string(r.Standing),
		LastContact:  r.LastContact,
		Account:      r.Target,
		Name:         r.Name,
		SID:          r.Account,
		ChangedAt:    r.ChangedAt,
		NextAt:       r.NextAt,
		EveryMinutes: r.EveryMinutes,
		Changing:     r.Pending > 0,
		ShownAt:      r.ShownAt,
		ShownBy:      r.ShownBy,
		Disabled:     r.Disabled,
	}
}

// viewDeposit shows when a password was stored and to which keys it is sealed.
func viewDeposit(d store.Deposit) api.Deposit {
	return api.Deposit{
		DepositRef:  api.DepositRef{Epoch: d.Epoch, Number: d.Number},
		State:       d.State,
		Name:        d.NameAfter,
		NameBefore:  d.NameBefore,
		Reason:      string(d.Reason),
		Policy:      d.Policy,
		DepositedAt: d.DepositedAt,
		ConfirmedAt: d.ConfirmedAt,
		FormerAt:    d.FormerAt,
	}
}

func viewReveal(r store.Reveal) api.Reveal {
	return api.Reveal{
		Device:   r.Device,
		Account:  r.Target,
		Operator: r.Operator,
		Reason:   r.Reason,
		Copied:   r.Copied,
		At:       r.At,
	}
}

// viewApproval shows who asked to see a password, and what was decided.
func viewApproval(a store.Approval) api.Approval {
	return api.Approval{
		ID:        a.ID,
		Device:    a.Device,
		Account:   a.Target,
		AskedBy:   a.AskedBy,
		Reason:    a.Reason,
		AskedAt:   a.AskedAt,
		EndsAt:    a.EndsAt,
		Approved:  a.Approved,
		DecidedBy: a.DecidedBy,
		DecidedAt: a.DecidedAt,
	}
}

// whole is a list that is short by nature, and so not paged.
type whole[T any] struct {
	Body struct {
		Items []T `json:"items" nullable:"false"`
	}
}

func wholeOf[R, T any](records []R, err error, view func(R) T) (*whole[T], error) {
	if err != nil {
		return nil, err
	}
	out := &whole[T]{}
	out.Body.Items = each(records, view)
	return out, nil
}

func (a *routes) passwordsRoutes() {
	register(a, operation.ListPasswords, a.listPasswords)
	register(a, operation.DevicePasswords, a.devicePasswords)
	register(a, operation.RevealPassword, a.revealPassword)
	register(a, operation.ListReveals, a.listReveals)
	register(a, operation.ListApprovals, a.listApprovals)
	register(a, operation.DecideApproval, a.decideApproval)
}

// listPasswords lists the stored passwords of the devices in reach.
func (a *routes) listPasswords(ctx context.Context, who rights.Identity, in *struct {
	PageQuery
	Search  string `query:"search" maxLength:"100" doc:"Part of the device's name or serial, or of the account's name"`
	Group   string `query:"group"`
	Overdue bool   `query:"overdue" doc:"Only those whose time has passed"`
	Retired bool   `query:"retired" doc:"Of retired devices instead, while these are kept"`
	Bare    bool   `query:"unrecovered" doc:"Only those without a copy sealed to a recovery key"`
}) (*List[api.Password], error) {
	list, next, err := a.Passwords.Passwords(
		ctx,
		who,
		passwords.PasswordFilter{Search: in.Search, Group: in.Group, Overdue: in.Overdue, Unrecovered: in.Bare,
			Retired: in.Retired},
		in.page(),
	)
	return listOf(list, next, err, viewPassword)
}

// devicePasswords lists the stored passwords of one device.
func (a *routes) devicePasswords(
	ctx context.Context, who rights.Identity, in *NamePath,
) (*struct{ Body api.DevicePasswords }, error) {
	list, deposits, why, err := a.Passwords.PasswordsOf(ctx, who, in.Name)
	out := &struct{ Body api.DevicePasswords }{api.DevicePasswords{Items: []api.DevicePassword{}, WhyNone: why}}
	for _, r := range list {
		p := api.DevicePassword{Password: viewPassword(r), Deposits: []api.Deposit{}}
		for _, d := range deposits[r.Target] {
			p.Deposits = append(p.Deposits, viewDeposit(d))
		}
		out.Body.Items = append(out.Body.Items, p)
	}
	return out, err
}

// revealPassword is the only operation whose answer has passwords. It may not be stored anywhere on its way.
func (a *routes) revealPassword(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	Body api.RevealSpec
}) (*struct{ Body api.RevealResult }, error) {
	answer, err := a.Passwords.Reveal(ctx, who, passwords.RevealRequest{
		Device: in.Name,
		Target: in.Body.Account,
		Reason: in.Body.Reason,
		Copied: in.Body.Copied,
		Former: (*store.Ref)(in.Body.Former),
	})
	out := &struct{ Body api.RevealResult }{
		api.RevealResult{
			Password:   viewPassword(answer.Rotation),
			Candidates: []api.Candidate{},
			RotatesAt:  answer.RotatesAt,
		},
	}
	for _, c := range answer.Candidates {
		out.Body.Candidates = append(
			out.Body.Candidates,
			api.Candidate{Password: c.Password, Deposit: viewDeposit(c.Deposit)},
		)
	}
	return out, err
}

func (a *routes) listReveals(ctx context.Context, who rights.Identity, in *struct {
	PageQuery
	PastQuery
}) (*List[api.Reveal], error) {
	list, next, err := a.Passwords.Reveals(ctx, who, in.past(), in.page())
	return listOf(list, next, err, viewReveal)
}

func (a *routes) listApprovals(ctx context.Context, who rights.Identity, in *PageQuery) (*List[api.Approval], error) {
	list, next, err := a.Passwords.Approvals(ctx, who, in.page())
	return listOf(list, next, err, viewApproval)
}

func (a *routes) decideApproval(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	Body struct {
		Approve bool `json:"approve"`
	}
}) (*Empty, error) {
	return &Empty{}, a.Passwords.Decide(ctx, who, in.Name, in.Body.Approve)
}
