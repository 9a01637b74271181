package httpapi

import (
	"context"
	"encoding/json"
	"net/http"

	"rankwarden.example/api"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/store"
)

// NumberPath is in every request for one key.
type NumberPath struct {
	Number int64 `path:"number" minimum:"1"`
}

func (a *routes) viewKey(k store.EscrowKey, deposits int) api.EscrowKey {
	return api.EscrowKey{
		Number: k.Number, Use: k.Use, State: k.State, Deposits: deposits, Held: a.Passwords.HoldsKey(k.Number), MadeAt: k.MadeAt, MadeBy: k.MadeBy,
		ProvedAt: k.ProvedAt, RetiredAt: k.RetiredAt, Asked: k.Asked, AskedBy: k.AskedBy,
		Reseal: api.KeyReseal{By: k.ResealBy, Total: k.ResealTotal, Done: k.ResealDone, Error: k.ResealError},
	}
}

func (a *routes) keys() {
	const path = "/escrow-keys"
	register(a, rights.Administer,
		operation{method: http.MethodGet, path: path, id: "list-escrow-keys", summary: "All escrow and recovery keys, by number; they are few"},
		func(ctx context.Context, _ rights.Identity, _ *struct{}) (*whole[api.EscrowKey], error) {
			keys, uses, err := a.Passwords.EscrowKeys(ctx)
			return wholeOf(keys, err, func(k store.EscrowKey) api.EscrowKey { return a.viewKey(k, uses[k.Number]) })
		})
	register(a, rights.Administer,
		operation{method: http.MethodPost, path: path, id: "create-escrow-key", status: http.StatusNoContent,
			summary: "Enter the public half of a new key; it is used once a copy of the private half was proved", action: "keys.made"},
		func(ctx context.Context, who rights.Identity, in *struct{ Body api.NewEscrowKey }) (*Empty, error) {
			return &Empty{}, a.Passwords.AddEscrowKey(ctx, who, in.Body.Number, in.Body.Use, in.Body.Public)
		})
	register(a, rights.Administer,
		operation{method: http.MethodPost, path: path + "/{number}/challenge", id: "challenge-escrow-key",
			summary: "A challenge that only the private half of a new key opens", action: "keys.challenged"},
		func(ctx context.Context, _ rights.Identity, in *NumberPath) (*struct{ Body api.KeyChallenge }, error) {
			c, err := a.Passwords.Challenge(ctx, in.Number)
			if err != nil {
				return nil, err
			}
			document, err := json.Marshal(c)
			return &struct{ Body api.KeyChallenge }{api.KeyChallenge{Document: document}}, err
		})
	register(a, rights.Administer,
		operation{method: http.MethodPost, path: path + "/{number}/proof", id: "prove-escrow-key", status: http.StatusNoContent,
			summary: "Prove with the answer to its challenge that a copy of a key exists, so that it goes live", action: "keys.proved"},
		func(ctx context.Context, who rights.Identity, in *struct {
			NumberPath
			Body api.KeyAnswer
		}) (*Empty, error) {
			return &Empty{}, a.Passwords.ProveEscrowKey(ctx, who, in.Number, in.Body.Answer)
		})
	for _, o := range []struct {
		operation
		do func(ctx context.Context, who rights.Identity, number int64) error
	}{
		{operation{method: http.MethodPost, path: "/retire", id: "retire-escrow-key", summary: "Seal nothing new to a key", action: "keys.retired"},
			a.retireKey},
		{operation{method: http.MethodPost, path: "/reseal", id: "reseal-escrow-key",
			summary: "Seal the deposits of a retired key to the newest live one, in the background", action: "keys.reseal_begun"}, a.askReseal},
		{operation{method: http.MethodDelete, path: "/reseal", id: "stop-reseal", summary: "Stop sealing again; what was sealed stays so",
			action: "keys.reseal_stopped"}, a.stopReseal},
	} {
		o.path, o.status = path+"/{number}"+o.path, http.StatusNoContent
		register(a, rights.Administer, o.operation, func(ctx context.Context, who rights.Identity, in *NumberPath) (*Empty, error) {
			return &Empty{}, o.do(ctx, who, in.Number)
		})
	}
	register(a, rights.Administer,
		operation{method: http.MethodPost, path: path + "/{number}/decision", id: "decide-escrow-key", status: http.StatusNoContent,
			summary: "Approve or decline what waits for a second owner of a key", action: "keys.decided"},
		func(ctx context.Context, who rights.Identity, in *struct {
			NumberPath
			Body struct {
				Approve bool `json:"approve"`
			}
		}) (*Empty, error) {
			return &Empty{}, a.Passwords.DecideKey(ctx, who, in.Number, in.Body.Approve)
		})
	register(a, rights.Administer,
		operation{method: http.MethodGet, path: "/unrecovered-passwords", id: "list-unrecovered-passwords",
			summary: "Current passwords without a copy for a recovery key, by device"},
		func(ctx context.Context, _ rights.Identity, in *PageQuery) (*List[api.UnrecoveredPassword], error) {
			list, next, err := a.Passwords.Unrecovered(ctx, in.page())
			return listOf(list, next, err, func(u store.UnrecoveredPassword) api.UnrecoveredPassword {
				return api.UnrecoveredPassword{Device: u.Device, DeviceID: u.DeviceID, Account: u.Target, Name: u.Name, ChangedAt: u.ChangedAt}
			})
		})
}

// The room is not there yet when operations are only described.
func (a *routes) retireKey(ctx context.Context, who rights.Identity, n int64) error {
	return a.Passwords.RetireEscrowKey(ctx, who, n)
}

func (a *routes) askReseal(ctx context.Context, who rights.Identity, n int64) error {
	return a.Passwords.AskReseal(ctx, who, n)
}

func (a *routes) stopReseal(ctx context.Context, who rights.Identity, n int64) error {
	return a.Passwords.StopReseal(ctx, who, n)
}
