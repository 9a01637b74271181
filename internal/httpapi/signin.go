package httpapi

import (
	"context"
	"net/http"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/problem"
	"rankwarden.example/internal/service"
)

const cookieName = "rankwarden_session"

type contextKey int

const (
	identityKey contextKey = iota
	addressKey
	secretKey
)

func identity(ctx context.Context) auth.Identity {
	who, _ := ctx.Value(identityKey).(auth.Identity)
	return who
}

// openPaths need nobody to be signed in.
var openPaths = map[string]bool{"POST " + Base + "/session": true, "GET " + Base + "/openapi.json": true, "GET " + Base + "/openapi.yaml": true,
	"GET " + Base + "/policy-schema.json": true}

// authenticate finds out who asks, by session cookie or bearer token.
func (a *api) authenticate(c fiber.Ctx) error {
	ctx := context.WithValue(c.Context(), addressKey, c.IP())
	c.SetContext(ctx)
	c.Set("Cache-Control", "no-store")
	if openPaths[c.Method()+" "+c.Path()] {
		return c.Next()
	}
	var who auth.Identity
	var err error
	cookie := c.Cookies(cookieName)
	scheme, token, bearer := strings.Cut(c.Get("Authorization"), " ")
	switch {
	case bearer && strings.EqualFold(scheme, "Bearer"):
		who, err = a.Service.ByToken(ctx, token, c.IP())
	case cookie == "":
		err = service.ErrSignIn
	default:
		if site := c.Get("Sec-Fetch-Site"); c.Method() != http.MethodGet && site != "" && site != "same-origin" && site != "none" {
			return problem.Send(c, problem.New(http.StatusForbidden, "the request came from another site; use the console itself"))
		}
		who, err = a.Service.BySession(ctx, cookie, c.IP())
	}
	if err != nil {
		return problem.Send(c, problem.Of(a.Log, err))
	}
	c.SetContext(context.WithValue(context.WithValue(ctx, identityKey, who), secretKey, cookie))
	return c.Next()
}

func (a *api) me(who auth.Identity) Me {
	rights := []string{}
	for _, right := range who.Rights() {
		rights = append(rights, string(right))
	}
	return Me{Name: who.Name, Roles: viewRoles(who.Grants), Rights: rights, Organisation: a.Service.Organisation, Interval: int(a.Service.Interval.Seconds())}
}

type signedIn struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
	Body      Me
}

func (a *api) cookie(secret string, life time.Duration) http.Cookie {
	return http.Cookie{Name: cookieName, Value: secret, Path: "/", MaxAge: int(life.Seconds()), HttpOnly: true, Secure: a.Secure, SameSite: http.SameSiteStrictMode}
}

func (a *api) signIn() {
	type credentials struct {
		Body struct {
			Name     string `json:"name" minLength:"1" maxLength:"63"`
			Password string `json:"password" minLength:"1" maxLength:"1024"`
		}
	}
	register(a, operation{method: http.MethodPost, path: "/session", id: "sign-in", summary: "Sign in; the answer sets a session cookie", open: true},
		func(ctx context.Context, _ auth.Identity, in *credentials) (*signedIn, error) {
			address, _ := ctx.Value(addressKey).(string)
			secret, who, err := a.Service.SignIn(ctx, in.Body.Name, in.Body.Password, address)
			if err != nil {
				return nil, err
			}
			return &signedIn{a.cookie(secret, service.SessionLength), a.me(who)}, nil
		})
	register(a, operation{method: http.MethodGet, path: "/session", id: "who-am-i", summary: "Who is signed in"},
		func(_ context.Context, who auth.Identity, _ *struct{}) (*struct{ Body Me }, error) {
			return &struct{ Body Me }{a.me(who)}, nil
		})
	register(a, operation{method: http.MethodPost, path: "/session/fresh", id: "sign-in-again", summary: "Give your password again, so that for 15 minutes you may see passwords", status: http.StatusNoContent},
		func(ctx context.Context, who auth.Identity, in *struct {
			Body struct {
				Password string `json:"password" minLength:"1" maxLength:"1024"`
			}
		}) (*Empty, error) {
			secret, _ := ctx.Value(secretKey).(string)
			return &Empty{}, a.Service.SignInAgain(ctx, who, secret, in.Body.Password)
		})
	register(a, operation{method: http.MethodDelete, path: "/session", id: "sign-out", summary: "End the session", status: http.StatusNoContent},
		func(ctx context.Context, who auth.Identity, _ *struct{}) (*struct {
			SetCookie http.Cookie `header:"Set-Cookie"`
		}, error) {
			secret, _ := ctx.Value(secretKey).(string)
			if err := a.Service.SignOut(ctx, who, secret); err != nil {
				return nil, err
			}
			ended := a.cookie("", 0)
			ended.MaxAge = -1
			return &struct {
				SetCookie http.Cookie `header:"Set-Cookie"`
			}{ended}, nil
		})
}
