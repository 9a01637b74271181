package httpapi

import (
	"cmp"
	"context"
	"net/http"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/face/problem"
	"rankwarden.example/internal/kit/clientaddr"
	"rankwarden.example/internal/room/access"
)

const cookieName = "rankwarden_session"

// contextKey is the key under which a request's context has who asks.
type contextKey int

const (
	identityKey contextKey = iota
	addressKey
	secretKey
	overTLSKey
	baseKey
)

func overTLS(ctx context.Context) bool {
	over, _ := ctx.Value(overTLSKey).(bool)
	return over
}

func identity(ctx context.Context) rights.Identity {
	who, _ := ctx.Value(identityKey).(rights.Identity)
	return who
}

// describing are the paths of the description, which the library serves.
var describing = map[string]bool{"GET " + Base + "/openapi.json": true, "GET " + Base + "/openapi.yaml": true}

// authenticate finds out who the caller is, by session cookie or bearer token.
func (a *routes) authenticate(c fiber.Ctx) error {
	ctx := context.WithValue(c.Context(), addressKey, clientaddr.Of(c))
	if c.Scheme() == "https" { // itself, or as a trusted proxy says
		ctx = context.WithValue(ctx, overTLSKey, true)
	}
	ctx = context.WithValue(ctx, baseKey, a.base(c))
	c.SetContext(ctx)
	c.Set("Cache-Control", "no-store")
	if a.open[c.Method()+" "+c.Path()] || describing[c.Method()+" "+c.Path()] {
		return c.Next()
	}
	if site := c.Get("Sec-Fetch-Site"); c.Method() != http.MethodGet && c.Cookies(cookieName) != "" && site != "" &&
		site != "same-origin" &&
		site != "none" {
		return problem.Send(
			c,
			problem.New(http.StatusForbidden, "the request came from another site; use the console itself"),
		)
	}
	given := a.credentials(c)
	who, err := a.identify(ctx, given)
	if err != nil {
		return problem.Send(c, problem.Of(a.Log, err))
	}
	if who.MustChange && who.Token == "" && !withFirstPassword[c.Method()+" "+c.Path()] {
		return problem.Send(
			c,
			problem.Of(a.Log, refusal.New(refusal.Forbidden,
				"somebody else gave you this password; change it first: rankwarden operator password").
				WithCode("first_password")),
		)
	}
	if a.lacksFactor(who) && !withoutFactor[c.Method()+" "+c.Path()] {
		return problem.Send(
			c,
			problem.Of(a.Log, refusal.New(refusal.Forbidden, "everybody here needs a second factor; set one up first").
				WithCode("second_factor_needed")),
		)
	}
	c.SetContext(context.WithValue(context.WithValue(ctx, identityKey, who), secretKey, given.session))
	return c.Next()
}

// withFirstPassword are the operations that somebody may call whose password was given by somebody else.
var withFirstPassword = map[string]bool{
	"GET " + Base + "/session": true, "DELETE " + Base + "/session": true, "POST " + Base + "/session/password": true,
}

// base is where people reach the console.
func (a *routes) base(c fiber.Ctx) string {
	return cmp.Or(strings.TrimRight(a.PublicURL, "/"), c.BaseURL())
}

// credentials are what a request says of who sends it.
type credentials struct{ session, token, address string }

// credentials copies them, so that they outlive the request.
func (a *routes) credentials(c fiber.Ctx) credentials {
	return credentials{
		session: strings.Clone(c.Cookies(cookieName)),
		token:   strings.Clone(bearer(c.Get(fiber.HeaderAuthorization))),
		address: strings.Clone(clientaddr.Of(c)),
	}
}

// bearer is the token of an Authorization header, empty when it has none.
func bearer(authorization string) string {
	if scheme, token, ok := strings.Cut(authorization, " "); ok && strings.EqualFold(scheme, "Bearer") {
		return token
	}
	return ""
}

// identify finds out who has the credentials. A token beats a session.
func (a *routes) identify(ctx context.Context, given credentials) (rights.Identity, error) {
	switch {
	case given.token != "":
		return a.Access.ByToken(ctx, given.token, given.address)
	case given.session != "":
		return a.Access.BySession(ctx, given.session, given.address)
	}
	return rights.Identity{}, access.ErrSignIn
}

// me says who is signed in and what they may do, which is what the console shows its pages by.
func (a *routes) me(who rights.Identity) api.Me {
	rights := []string{}
	for _, right := range who.Rights() {
		rights = append(rights, string(right))
	}
	return api.Me{
		Name:         who.Name,
		Roles:        viewRoles(who.Grants),
		Rights:       rights,
		Organisation: a.Name,
		Interval:     int(a.Interval.Seconds()),
		NeedsFactor:  a.lacksFactor(who),
		MustChange:   who.MustChange && who.Token == "",
		AtProvider:   who.AtProvider,
	}
}

// signedIn is the answer to a sign-in: a cookie for a browser, and in the body who it is.
type signedIn struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
	Body      api.Me
}

func (a *routes) cookie(ctx context.Context, secret string, life time.Duration) http.Cookie {
	return http.Cookie{
		Name:     cookieName,
		Value:    secret,
		Path:     "/",
		MaxAge:   int(life.Seconds()),
		HttpOnly: true,
		Secure:   a.Secure || overTLS(ctx),
		SameSite: http.SameSiteStrictMode,
	}
}

func (a *routes) signInRoutes() {
	register(a, operation.SignIn, a.signIn)
	register(a, operation.Whoami, a.whoami)
	register(a, operation.SignInAgain, a.signInAgain)
	register(a, operation.ChangeOwnPassword, a.changeOwnPassword)
	register(a, operation.Tour, a.tour)
	register(a, operation.SetTour, a.setTour)
	register(a, operation.SignOut, a.signOut)
}

// signInRequest is a name with a password, and a code where the operator has a second factor.
type signInRequest struct {
	Body struct {
		Name     string `json:"name" minLength:"1" maxLength:"63"`
		Password string `json:"password" minLength:"1" maxLength:"1024"`
		Code     string `json:"code,omitempty" maxLength:"20" doc:"Of the second factor, or a recovery code; asked for with the code code_needed"`
	}
}

func (a *routes) signIn(ctx context.Context, _ rights.Identity, in *signInRequest) (*signedIn, error) {
	address, _ := ctx.Value(addressKey).(string)
	secret, who, err := a.Access.SignIn(ctx, in.Body.Name, in.Body.Password, in.Body.Code, address)
	if err != nil {
		return nil, err
	}
	return &signedIn{a.cookie(ctx, secret, access.SessionLength), a.me(who)}, nil
}

func (a *routes) whoami(_ context.Context, who rights.Identity, _ *struct{}) (*struct{ Body api.Me }, error) {
	return &struct{ Body api.Me }{a.me(who)}, nil
}

func (a *routes) signInAgain(ctx context.Context, who rights.Identity, in *struct{ Body api.Proof }) (*Empty, error) {
	secret, _ := ctx.Value(secretKey).(string)
	return &Empty{}, a.Access.SignInAgain(ctx, who, secret, in.Body.Password, in.Body.Code)
}

func (a *routes) changeOwnPassword(
	ctx context.Context, who rights.Identity, in *struct{ Body api.NewPassword },
) (*Empty, error) {
	secret, _ := ctx.Value(secretKey).(string)
	return &Empty{}, a.Access.ChangeOwnPassword(ctx, who, secret,
		access.OwnPassword{Now: in.Body.Password, Code: in.Body.Code, New: in.Body.NewPassword})
}

func (a *routes) tour(ctx context.Context, who rights.Identity, _ *struct{}) (*struct{ Body api.Tour }, error) {
	at, err := a.Access.Tour(ctx, who)
	return &struct{ Body api.Tour }{api.Tour{At: at}}, err
}

func (a *routes) setTour(ctx context.Context, who rights.Identity, in *struct{ Body api.Tour }) (*Empty, error) {
	return &Empty{}, a.Access.SetTour(ctx, who, in.Body.At)
}

// signOut ends the session in the records, so that a copy of the cookie is of no use either.
func (a *routes) signOut(ctx context.Context, who rights.Identity, _ *struct{}) (*struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
	Body      api.SignedOut
}, error) {
	secret, _ := ctx.Value(secretKey).(string)
	if err := a.Access.SignOut(ctx, who, secret); err != nil {
		return nil, err
	}
	ended := a.cookie(ctx, "", 0)
	ended.MaxAge = -1
	base, _ := ctx.Value(baseKey).(string)
	return &struct {
		SetCookie http.Cookie `header:"Set-Cookie"`
		Body      api.SignedOut
	}{ended, api.SignedOut{Next: a.leave(who, base)}}, nil
}
