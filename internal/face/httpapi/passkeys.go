package httpapi

import (
	"context"
	"encoding/base64"
	"net/http"

	"rankwarden.example/api"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/room/access"
	"rankwarden.example/internal/store"
)

func viewPasskey(p store.Passkey) api.Passkey {
	return api.Passkey{ID: base64.RawURLEncoding.EncodeToString(p.ID), Name: p.Name, CreatedAt: p.CreatedAt, UsedAt: p.UsedAt}
}

type ceremony struct{ Body api.PasskeyCeremony }

func answerCeremony(c access.Ceremony, err error) (*ceremony, error) {
	return &ceremony{api.PasskeyCeremony{Ceremony: c.Secret, Options: c.Options}}, err
}

// passkeys registers one's own passkeys, and the sign-in with them.
func (a *routes) passkeys() {
	register(a, rights.SignedIn,
		operation{method: http.MethodGet, path: "/passkeys", id: "list-passkeys", summary: "Your own passkeys; they are few"},
		func(ctx context.Context, who rights.Identity, _ *struct{}) (*whole[api.Passkey], error) {
			list, err := a.Access.PasskeysOf(ctx, who)
			return wholeOf(list, err, viewPasskey)
		})
	register(a, rights.SignedIn,
		operation{method: http.MethodPost, path: "/passkeys/ceremony", id: "begin-passkey", session: true, action: "passkey.begun",
			summary: "Begin to make a passkey in the browser"},
		func(ctx context.Context, who rights.Identity, _ *struct{}) (*ceremony, error) {
			return answerCeremony(a.Access.BeginPasskey(ctx, who))
		})
	register(a, rights.SignedIn,
		operation{method: http.MethodPost, path: "/passkeys", id: "add-passkey", session: true, status: http.StatusCreated,
			action: "passkey.added", summary: "Keep the passkey that the browser made"},
		func(ctx context.Context, who rights.Identity, in *struct{ Body api.NewPasskey }) (*struct{ Body api.Passkey }, error) {
			made, err := a.Access.AddPasskey(ctx, who, in.Body.Name, in.Body.Ceremony, in.Body.Response)
			return &struct{ Body api.Passkey }{viewPasskey(made)}, err
		})
	register(a, rights.SignedIn,
		operation{method: http.MethodDelete, path: "/passkeys/{name}", id: "remove-passkey", session: true, status: http.StatusNoContent,
			action: "passkey.removed", summary: "Remove one of your passkeys, by id"},
		func(ctx context.Context, who rights.Identity, in *NamePath) (*Empty, error) {
			id, err := base64.RawURLEncoding.DecodeString(in.Name)
			if err != nil {
				return nil, refusal.Missing("passkey", in.Name)
			}
			return &Empty{}, a.Access.RemovePasskey(ctx, who, id)
		})
	register(a, rights.Anybody,
		operation{method: http.MethodPost, path: "/passkey-sign-in/ceremony", id: "begin-passkey-sign-in", action: "session.begun",
			summary: "Begin to sign in with a passkey"},
		func(ctx context.Context, _ rights.Identity, _ *struct{}) (*ceremony, error) {
			address, _ := ctx.Value(addressKey).(string)
			return answerCeremony(a.Access.BeginPasskeySignIn(ctx, address))
		})
	register(a, rights.Anybody,
		operation{method: http.MethodPost, path: "/passkey-sign-in", id: "sign-in-with-passkey", action: "session.opened",
			summary: "Sign in with a passkey; the answer sets a session cookie"},
		func(ctx context.Context, _ rights.Identity, in *struct{ Body api.PasskeyAnswer }) (*signedIn, error) {
			address, _ := ctx.Value(addressKey).(string)
			secret, who, err := a.Access.SignInWithPasskey(ctx, in.Body.Ceremony, in.Body.Response, address)
			if err != nil {
				return nil, err
			}
			return &signedIn{a.cookie(ctx, secret, access.SessionLength), a.me(who)}, nil
		})
	register(a, rights.SignedIn,
		operation{method: http.MethodPost, path: "/session/fresh/passkey", id: "sign-in-again-with-passkey", session: true,
			status: http.StatusNoContent, action: "session.refreshed", summary: "Sign in again with your passkey, so that for 15 minutes you may view passwords"},
		func(ctx context.Context, who rights.Identity, in *struct{ Body api.PasskeyAnswer }) (*Empty, error) {
			secret, _ := ctx.Value(secretKey).(string)
			return &Empty{}, a.Access.SignInAgainWithPasskey(ctx, who, secret, in.Body.Ceremony, in.Body.Response)
		})
}
