package httpapi

import (
	"bytes"
	"context"
	"html/template"
	"net/http"
	"net/url"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/face/problem"
	"rankwarden.example/internal/kit/clientaddr"
	"rankwarden.example/internal/room/access"
)

// attemptCookie ties the answer of the identity provider to the browser that went there. It comes back from another
// site, so that it cannot be for this site alone.
const attemptCookie = "rankwarden_attempt"

// CallbackPath is where people come back to from the identity provider.
var CallbackPath = operation.FinishAtProvider.Pattern()

// providerRoutes registers the sign-in with the identity provider. Both are pages of a browser, and not calls of a
// program.
func (a *routes) providerRoutes() {
	register(a, operation.SignInWays, a.signInWays)
	a.raw(operation.BeginAtProvider, describePage, a.beginAtProvider)
	a.raw(operation.FinishAtProvider, describePage, a.finishAtProvider)
}

func (a *routes) signInWays(context.Context, rights.Identity, *struct{}) (*struct{ Body api.SignInWays }, error) {
	ways := api.SignInWays{Password: true}
	if a.Access.Passkeys != nil {
		ways.Passkeys = a.Access.Passkeys.Config.RPID
	}
	if a.Access.Provider != nil {
		ways.Provider, ways.Password = a.Access.Provider.Name, !a.Access.OnlyProvider
	}
	return &struct{ Body api.SignInWays }{ways}, nil
}

// describePage describes what a browser opens.
func describePage(o *huma.Operation) {
	o.Tags = []string{"sign-in"}
	o.Responses = map[string]*huma.Response{
		"200": {Description: "A page that goes on by itself"}, "303": {Description: "To the provider"},
	}
}

func (a *routes) beginAtProvider(c fiber.Ctx) error {
	address, browser, err := a.Access.BeginAtProvider(c.Context(), c.Query("to"), c.Query("fresh") == "true",
		clientaddr.Of(c),
		c.Cookies(cookieName))
	if err != nil {
		return a.notSignedIn(c, err)
	}
	c.Cookie(&fiber.Cookie{Name: attemptCookie, Value: browser, Path: CallbackPath, MaxAge: 600, HTTPOnly: true,
		Secure: a.Secure || overTLS(c.Context()), SameSite: fiber.CookieSameSiteLaxMode})
	return c.Redirect().Status(http.StatusSeeOther).To(address)
}

// finishAtProvider takes the answer of the provider and sets the session. The page that it answers with goes on by
// itself: a browser does not send the session of this site on a way that began at another one.
func (a *routes) finishAtProvider(c fiber.Ctx) error {
	if said := c.Query("error"); said != "" && c.Query("state") == "" {
		return a.notSignedIn(c, access.ErrSignIn)
	}
	back, err := a.Access.FinishAtProvider(c.Context(), c.Cookies(attemptCookie), c.Query("state"), c.Query("code"),
		clientaddr.Of(c))
	c.Cookie(&fiber.Cookie{Name: attemptCookie, Path: CallbackPath, MaxAge: -1, HTTPOnly: true})
	if err != nil {
		return a.notSignedIn(c, err)
	}
	session := a.cookie(c.Context(), back.Session, access.SessionLength)
	c.Set(fiber.HeaderSetCookie, session.String())
	// A page of our own goes on: a cookie for this site alone is not sent on the way that began at another one.
	return writePage(c, http.StatusOK, `0;url=`+back.Target, "Signed in", "Going on to the console.", back.Target)
}

// notSignedIn says why, in a page.
func (a *routes) notSignedIn(c fiber.Ctx, err error) error {
	p := problem.Of(a.Log, err)
	return writePage(c, p.Status, "", "Not signed in", p.Detail, "/")
}

// way is a page between the provider and the console.
var way = template.Must(template.New("way").Parse(`<!doctype html><html lang="en"><head><meta charset="utf-8">
<title>{{.Title}} · Rank Warden</title>{{if .Refresh}}<meta http-equiv="refresh" content="{{.Refresh}}">{{end}}
<style>body{font:16px/1.5 sans-serif;background:#f5f1e8;color:#10323a;margin:12vh auto;max-width:36rem;padding:0 1.5rem}a{color:#8a5f0f}</style>
</head><body><h1>{{.Title}}</h1><p>{{.Text}}</p><p><a href="{{.To}}">Go to the console</a></p></body></html>`))

func writePage(c fiber.Ctx, status int, refresh, title, text, to string) error {
	var page bytes.Buffer
	err := way.Execute(&page, struct{ Refresh, Title, Text, To string }{refresh, title, text, to})
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderContentType, "text/html; charset=utf-8")
	c.Set(fiber.HeaderCacheControl, "no-store")
	return c.Status(status).Send(page.Bytes())
}

// leave is where somebody signs out of the provider too, empty for nowhere.
func (a *routes) leave(who rights.Identity, base string) string {
	if !who.AtProvider || a.Access.Provider == nil {
		return ""
	}
	back, err := url.JoinPath(base, "/")
	if err != nil {
		return ""
	}
	return a.Access.Provider.LeaveURL(back)
}
