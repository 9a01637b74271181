package httpapi

import (
	"context"
	"encoding/base64"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/room/access"
	"rankwarden.example/internal/store"
)

func viewPasskey(p store.Passkey) api.Passkey {
	return api.Passkey{ID: base64.RawURLEncoding.EncodeToString(p.ID), Name: p.Name, CreatedAt: p.CreatedAt,
		UsedAt: p.UsedAt}
}

// ceremony is what a browser needs to use a passkey (WebAuthn), with the reference that its answer comes back under.
type ceremony struct{ Body api.PasskeyCeremony }

func answerCeremony(c access.Ceremony, err error) (*ceremony, error) {
	return &ceremony{api.PasskeyCeremony{Ceremony: c.Secret, Options: c.Options}}, err
}

// passkeysRoutes registers one's own passkeys, and the sign-in with them.
func (a *routes) passkeysRoutes() {
	register(a, operation.ListPasskeys, a.listPasskeys)
	register(a, operation.BeginPasskey, a.beginPasskey)
	register(a, operation.AddPasskey, a.addPasskey)
	register(a, operation.RemovePasskey, a.removePasskey)
	register(a, operation.BeginPasskeySignIn, a.beginPasskeySignIn)
	register(a, operation.SignInWithPasskey, a.signInWithPasskey)
	register(a, operation.SignInAgainWithPasskey, a.signInAgainWithPasskey)
}

func (a *routes) listPasskeys(ctx context.Context, who rights.Identity, _ *struct{}) (*whole[api.Passkey], error) {
	list, err := a.Access.PasskeysOf(ctx, who)
	return wholeOf(list, err, viewPasskey)
}

func (a *routes) beginPasskey(ctx context.Context, who rights.Identity, _ *struct{}) (*ceremony, error) {
	return answerCeremony(a.Access.BeginPasskey(ctx, who))
}

func (a *routes) addPasskey(
	ctx context.Context, who rights.Identity, in *struct{ Body api.NewPasskey },
) (*struct{ Body api.Passkey }, error) {
	made, err := a.Access.AddPasskey(ctx, who, in.Body.Name, in.Body.Ceremony, in.Body.Response)
	return &struct{ Body api.Passkey }{viewPasskey(made)}, err
}

func (a *routes) removePasskey(ctx context.Context, who rights.Identity, in *NamePath) (*Empty, error) {
	id, err := base64.RawURLEncoding.DecodeString(in.Name)
	if err != nil {
		return nil, refusal.Missing("passkey", in.Name)
	}
	return &Empty{}, a.Access.RemovePasskey(ctx, who, id)
}

func (a *routes) beginPasskeySignIn(ctx context.Context, _ rights.Identity, _ *struct{}) (*ceremony, error) {
	address, _ := ctx.Value(addressKey).(string)
	return answerCeremony(a.Access.BeginPasskeySignIn(ctx, address))
}

func (a *routes) signInWithPasskey(
	ctx context.Context, _ rights.Identity, in *struct{ Body api.PasskeyAnswer },
) (*signedIn, error) {
	address, _ := ctx.Value(addressKey).(string)
	secret, who, err := a.Access.SignInWithPasskey(ctx, in.Body.Ceremony, in.Body.Response, address)
	if err != nil {
		return nil, err
	}
	return &signedIn{a.cookie(ctx, secret, access.SessionLength), a.me(who)}, nil
}

func (a *routes) signInAgainWithPasskey(
	ctx context.Context, who rights.Identity, in *struct{ Body api.PasskeyAnswer },
) (*Empty, error) {
	secret, _ := ctx.Value(secretKey).(string)
	return &Empty{}, a.Access.SignInAgainWithPasskey(ctx, who, secret, in.Body.Ceremony, in.Body.Response)
}
