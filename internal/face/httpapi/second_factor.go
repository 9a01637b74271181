package httpapi

import (
	"context"
	"encoding/base64"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/room/access"
)

// secondFactorRoutes registers one's own second factor: only the session of a person sets one up or takes it away.
func (a *routes) secondFactorRoutes() {
	register(a, operation.ShowSecondFactor, a.showSecondFactor)
	register(a, operation.BeginSecondFactor, a.beginSecondFactor)
	register(a, operation.ConfirmSecondFactor, a.confirmSecondFactor)
	register(a, operation.MakeRecoveryCodes, a.makeRecoveryCodes)
	register(a, operation.RemoveSecondFactor, a.removeSecondFactor)
}

func (a *routes) showSecondFactor(
	ctx context.Context, who rights.Identity, _ *struct{},
) (*struct{ Body api.SecondFactor }, error) {
	f, err := a.Access.SecondFactorOf(ctx, who)
	return &struct{ Body api.SecondFactor }{viewSecondFactor(f)}, err
}

func (a *routes) beginSecondFactor(
	ctx context.Context, who rights.Identity, _ *struct{},
) (*struct{ Body api.NewSecondFactor }, error) {
	made, err := a.Access.BeginSecondFactor(ctx, who)
	return &struct{ Body api.NewSecondFactor }{api.NewSecondFactor{
		Secret: made.Secret, URI: made.URI, Image: "data:image/png;base64," +
			base64.StdEncoding.EncodeToString(made.Image),
	}}, err
}

func (a *routes) confirmSecondFactor(
	ctx context.Context, who rights.Identity, in *struct{ Body api.Code },
) (*struct{ Body api.RecoveryCodes }, error) {
	secret, _ := ctx.Value(secretKey).(string)
	codes, err := a.Access.ConfirmSecondFactor(ctx, who, secret, in.Body.Code)
	return &struct{ Body api.RecoveryCodes }{api.RecoveryCodes{Codes: codes}}, err
}

func (a *routes) makeRecoveryCodes(
	ctx context.Context, who rights.Identity, in *struct{ Body api.Proof },
) (*struct{ Body api.RecoveryCodes }, error) {
	secret, _ := ctx.Value(secretKey).(string)
	codes, err := a.Access.NewRecoveryCodes(ctx, who, secret, in.Body.Password, in.Body.Code)
	return &struct{ Body api.RecoveryCodes }{api.RecoveryCodes{Codes: codes}}, err
}

func (a *routes) removeSecondFactor(
	ctx context.Context, who rights.Identity, in *struct{ Body api.Proof },
) (*Empty, error) {
	return &Empty{}, a.Access.RemoveSecondFactor(ctx, who, in.Body.Password, in.Body.Code)
}

func viewSecondFactor(f access.SecondFactor) api.SecondFactor {
	return api.SecondFactor{On: f.On, Since: f.Since, CodesLeft: f.CodesLeft, Required: f.Required}
}

// withoutFactor are the operations that somebody may call who still must set up a second factor.
var withoutFactor = map[string]bool{
	"GET " + Base + "/session": true, "DELETE " + Base + "/session": true, "GET " + Base + "/second-factor": true,
	"GET " + Base + "/passkeys": true, "POST " + Base + "/passkeys/ceremony": true, "POST " + Base + "/passkeys": true,
	"POST " + Base + "/second-factor": true, "POST " + Base + "/second-factor/confirm": true,
}

// lacksFactor reports whether somebody must set up a second factor before anything else.
func (a *routes) lacksFactor(who rights.Identity) bool {
	return a.Access != nil && a.Access.RequireSecondFactor && who.Token == "" && !who.Factor && !who.Sealed
}
