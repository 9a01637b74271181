// Package oidc signs people in with an identity provider, by the authorisation code flow of OpenID Connect Core 1.0
// with a code challenge (RFC 7636).
package oidc

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"golang.org/x/oauth2"

	"rankwarden.example/core/rights"
)

// Options name the provider, and what its groups may do.
type Options struct {
	Name         string // that people see
	Issuer       string
	ClientID     string
	ClientSecret string
	NameClaim    string // preferred_username when empty
	GroupsClaim  string // groups when empty
	Roles        []Mapping
	HTTP         *http.Client // one with a time-out when nil
}

// Mapping gives a role to a group of the provider.
type Mapping struct {
	Group string
	Grant rights.Grant
}

// ParseMapping reads GROUP=ROLE or GROUP=ROLE:REACH,REACH.
func ParseMapping(text string) (m Mapping, err error) {
	group, given, found := strings.Cut(text, "=")
	role, reach, narrowed := strings.Cut(given, ":")
	if !found || group == "" || !rights.Role(role).Valid() || narrowed && reach == "" {
		return m, fmt.Errorf("%q is no role for a group; write GROUP=ROLE, or GROUP=ROLE:GROUP-OF-DEVICES,…, with "+
			"one of viewer, requester, support, author, deployer, auditor, owner", text)
	}
	grant := rights.Grant{Role: rights.Role(role), Groups: []string{}}
	if narrowed {
		grant.Groups = strings.Split(reach, ",")
	}
	return Mapping{group, grant}, nil
}

// Provider is one that was configured. It is asked for its description when it is first needed, and again until it
// answers.
type Provider struct {
	Options

	mu       sync.Mutex
	found    *oidc.Provider
	leaveAt  string // where people sign out of it, empty for nowhere
	callback string
}

// New configures a provider; people come back to the address of callback.
func New(o Options, callback string) *Provider {
	if o.HTTP == nil {
		const patience = 15 * time.Second
		o.HTTP = &http.Client{Timeout: patience}
	}
	if o.NameClaim == "" {
		o.NameClaim = "preferred_username"
	}
	if o.GroupsClaim == "" {
		o.GroupsClaim = "groups"
	}
	return &Provider{Options: o, callback: callback}
}

// describe gives what the provider says of itself, which must name the issuer that was configured.
func (p *Provider) describe(ctx context.Context) (*oidc.Provider, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.found != nil {
		return p.found, nil
	}
	// The provider keeps the context for reading keys later.
	found, err := oidc.NewProvider(oidc.ClientContext(context.WithoutCancel(ctx), p.HTTP), p.Issuer)
	if err != nil {
		return nil, fmt.Errorf("the identity provider does not answer as one: %w", err)
	}
	var more struct {
		EndSession string `json:"end_session_endpoint"`
	}
	if err := found.Claims(&more); err == nil {
		p.leaveAt = more.EndSession
	}
	p.found = found
	return found, nil
}

func (p *Provider) oauth(found *oidc.Provider) *oauth2.Config {
	return &oauth2.Config{ClientID: p.ClientID, ClientSecret: p.ClientSecret, Endpoint: found.Endpoint(),
		RedirectURL: p.callback,
		Scopes:      []string{oidc.ScopeOpenID, "profile", "groups"}}
}

// Attempt is what one sign-in is known by again.
type Attempt struct {
	State, Nonce, Verifier string
	Fresh                  bool
}

// AuthURL is where a browser goes to sign in; with Fresh the provider must ask for the password even if somebody is
// signed in there.
func (p *Provider) AuthURL(ctx context.Context, a Attempt) (string, error) {
	found, err := p.describe(ctx)
	if err != nil {
		return "", err
	}
	options := []oauth2.AuthCodeOption{oidc.Nonce(a.Nonce), oauth2.S256ChallengeOption(a.Verifier)}
	if a.Fresh {
		options = append(options, oauth2.SetAuthURLParam("prompt", "login"), oauth2.SetAuthURLParam("max_age", "0"))
	}
	return p.oauth(found).AuthCodeURL(a.State, options...), nil
}

// Person is who a provider says somebody is.
type Person struct {
	Issuer, Subject, Name string
	Groups                []string
	SignedInAt            time.Time // there; zero where it does not say
}

// Errors of what a provider says.
var (
	ErrNonce = errors.New("the identity provider answers another sign-in than this one")
	ErrName  = errors.New("the identity provider does not say the person's name")
)

// Exchange gives the code that a browser brought back to the provider, and believes its answer only as far as it
// proves.
func (p *Provider) Exchange(ctx context.Context, code string, a Attempt) (who Person, err error) {
	found, err := p.describe(ctx)
	if err != nil {
		return who, err
	}
	ctx = oidc.ClientContext(ctx, p.HTTP)
	token, err := p.oauth(found).Exchange(ctx, code, oauth2.VerifierOption(a.Verifier))
	if err != nil {
		return who, fmt.Errorf("the identity provider does not take the code back: %w", err)
	}
	raw, _ := token.Extra("id_token").(string)
	verified, err := found.Verifier(&oidc.Config{ClientID: p.ClientID}).Verify(ctx, raw)
	if err != nil {
		return who, fmt.Errorf("what the identity provider says is not proved: %w", err)
	}
	if verified.Nonce != a.Nonce || a.Nonce == "" {
		return who, ErrNonce
	}
	var claims map[string]any
	if err := verified.Claims(&claims); err != nil {
		return who, err
	}
	who = Person{Issuer: verified.Issuer, Subject: verified.Subject}
	who.Name, _ = claims[p.NameClaim].(string)
	if who.Name = strings.ToLower(strings.TrimSpace(who.Name)); who.Name == "" {
		return who, ErrName
	}
	if list, is := claims[p.GroupsClaim].([]any); is {
		for _, g := range list {
			if name, is := g.(string); is {
				who.Groups = append(who.Groups, name)
			}
		}
	}
	if at, is := claims["auth_time"].(float64); is {
		who.SignedInAt = time.Unix(int64(at), 0)
	}
	return who, nil
}

// Grants are the roles of somebody in groups of the provider. Several groups may give one role: its reach is that of
// all.
func (p *Provider) Grants(groups []string) []rights.Grant {
	var grants []rights.Grant
	for _, m := range p.Roles {
		if !slices.Contains(groups, m.Group) {
			continue
		}
		i := slices.IndexFunc(grants, func(g rights.Grant) bool { return g.Role == m.Grant.Role })
		switch {
		case i < 0:
			grants = append(grants, rights.Grant{Role: m.Grant.Role, Groups: slices.Clone(m.Grant.Groups)})
		case grants[i].Everywhere() || m.Grant.Everywhere():
			grants[i].Groups = []string{}
		default:
			grants[i].Groups = append(grants[i].Groups, m.Grant.Groups...)
		}
	}
	return grants
}

// LeaveURL is where a browser goes to sign out of the provider, and comes back to a page; empty where it offers none.
func (p *Provider) LeaveURL(back string) string {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.leaveAt == "" {
		return ""
	}
	// We name ourselves by our client identifier, and not by a token that would stand in the address (OpenID Connect
	// RP-Initiated Logout 1.0, 2).
	return p.leaveAt + "?" + url.Values{"client_id": {p.ClientID}, "post_logout_redirect_uri": {back}}.Encode()
}
