package httpapi

import (
	"context"
	"encoding/json"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/store"
)

// NumberPath is in every request for one key.
type NumberPath struct {
	Number int64 `path:"number" minimum:"1"`
}

func (a *routes) viewKey(k store.EscrowKey, deposits int) api.EscrowKey {
	return api.EscrowKey{
		Number: k.Number, Use: k.Use, State: k.State, Deposits: deposits, Held: a.Passwords.HoldsKey(k.Number),
		MadeAt: k.MadeAt, MadeBy: k.MadeBy,
		ProvedAt: k.ProvedAt, RetiredAt: k.RetiredAt, DrilledAt: k.DrilledAt, Asked: k.Asked, AskedBy: k.AskedBy,
		Reseal: api.KeyReseal{By: k.ResealBy, Total: k.ResealTotal, Done: k.ResealDone, Error: k.ResealError},
	}
}

func (a *routes) keysRoutes() {
	register(a, operation.ListEscrowKeys, a.listEscrowKeys)
	register(a, operation.CreateEscrowKey, a.createEscrowKey)
	register(a, operation.ChallengeEscrowKey, a.challengeEscrowKey)
	register(a, operation.ProveEscrowKey, a.proveEscrowKey)
	register(a, operation.RetireEscrowKey, a.retireEscrowKey)
	register(a, operation.ResealEscrowKey, a.resealEscrowKey)
	register(a, operation.StopReseal, a.stopReseal)
	register(a, operation.DecideEscrowKey, a.decideEscrowKey)
	register(a, operation.ListUnrecoveredPasswords, a.listUnrecoveredPasswords)
}

func (a *routes) listEscrowKeys(ctx context.Context, _ rights.Identity, _ *struct{}) (*whole[api.EscrowKey], error) {
	keys, uses, err := a.Passwords.EscrowKeys(ctx)
	return wholeOf(keys, err, func(k store.EscrowKey) api.EscrowKey { return a.viewKey(k, uses[k.Number]) })
}

func (a *routes) createEscrowKey(
	ctx context.Context, who rights.Identity, in *struct{ Body api.NewEscrowKey },
) (*Empty, error) {
	return &Empty{}, a.Passwords.AddEscrowKey(ctx, who, in.Body.Number, in.Body.Use, in.Body.Public)
}

func (a *routes) challengeEscrowKey(
	ctx context.Context, _ rights.Identity, in *NumberPath,
) (*struct{ Body api.KeyChallenge }, error) {
	c, err := a.Passwords.Challenge(ctx, in.Number)
	if err != nil {
		return nil, err
	}
	document, err := json.Marshal(c)
	return &struct{ Body api.KeyChallenge }{api.KeyChallenge{Document: document}}, err
}

func (a *routes) proveEscrowKey(ctx context.Context, who rights.Identity, in *struct {
	NumberPath
	Body api.KeyAnswer
}) (*Empty, error) {
	return &Empty{}, a.Passwords.ProveEscrowKey(ctx, who, in.Number, in.Body.Answer)
}

func (a *routes) retireEscrowKey(ctx context.Context, who rights.Identity, in *NumberPath) (*Empty, error) {
	return &Empty{}, a.Passwords.RetireEscrowKey(ctx, who, in.Number)
}

func (a *routes) resealEscrowKey(ctx context.Context, who rights.Identity, in *NumberPath) (*Empty, error) {
	return &Empty{}, a.Passwords.AskReseal(ctx, who, in.Number)
}

func (a *routes) stopReseal(ctx context.Context, who rights.Identity, in *NumberPath) (*Empty, error) {
	return &Empty{}, a.Passwords.StopReseal(ctx, who, in.Number)
}

func (a *routes) decideEscrowKey(ctx context.Context, who rights.Identity, in *struct {
	NumberPath
	Body struct {
		Approve bool `json:"approve"`
	}
}) (*Empty, error) {
	return &Empty{}, a.Passwords.DecideKey(ctx, who, in.Number, in.Body.Approve)
}

func (a *routes) listUnrecoveredPasswords(
	ctx context.Context, _ rights.Identity, in *PageQuery,
) (*List[api.UnrecoveredPassword], error) {
	list, next, err := a.Passwords.Unrecovered(ctx, in.page())
	return listOf(list, next, err, func(u store.UnrecoveredPassword) api.UnrecoveredPassword {
		return api.UnrecoveredPassword{Device: u.Device, DeviceID: u.DeviceID, Account: u.Target, Name: u.Name,
			ChangedAt: u.ChangedAt}
	})
}
