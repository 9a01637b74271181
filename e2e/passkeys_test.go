package e2e

import (
	"context"
	"encoding/json"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/webauthn"
	"github.com/chromedp/chromedp"
	"github.com/descope/virtualwebauthn"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/client"
	"rankwarden.example/e2e/browser"
	"rankwarden.example/internal/room/access"
)

// holder is somebody's authenticator, at a site.
type holder struct {
	s    *service
	site virtualwebauthn.RelyingParty
	auth virtualwebauthn.Authenticator
	key  virtualwebauthn.Credential
}

// localhost is where the console is reached with a name.
func (s *service) localhost() string { return strings.Replace(s.URL, "127.0.0.1", "localhost", 1) }

// holds gives somebody who is signed in a passkey.
func (s *service) holds(c *client.Client, name string) *holder {
	h := &holder{s: s, site: virtualwebauthn.RelyingParty{ID: "localhost", Name: "Rank Warden", Origin: s.localhost()},
		auth: virtualwebauthn.NewAuthenticator(), key: virtualwebauthn.NewCredential(virtualwebauthn.KeyTypeEC2)}
	begun, err := c.BeginPasskey(s.t.Context())
	require.NoError(s.t, err)
	asked, err := virtualwebauthn.ParseAttestationOptions(string(begun.Options))
	require.NoError(s.t, err)
	h.auth.Options.UserHandle = []byte(asked.UserID)
	h.auth.AddCredential(h.key)
	made := virtualwebauthn.CreateAttestationResponse(h.site, h.auth, h.key, *asked)
	_, err = c.AddPasskey(s.t.Context(), name, begun.Ceremony, json.RawMessage(made))
	require.NoError(s.t, err)
	return h
}

// answers begins a sign-in, and gives what the authenticator answers.
func (h *holder) answers() (ceremony string, response json.RawMessage) {
	begun, err := client.New(h.s.URL, "").Look(hasLooked).BeginPasskeySignIn(h.s.t.Context())
	require.NoError(h.s.t, err)
	asked, err := virtualwebauthn.ParseAssertionOptions(string(begun.Options))
	require.NoError(h.s.t, err)
	h.key.Counter++
	return begun.Ceremony, json.RawMessage(virtualwebauthn.CreateAssertionResponse(h.site, h.auth, h.key, *asked))
}

func (h *holder) enters() (*client.Client, error) {
	c := client.New(h.s.URL, "").Look(hasLooked)
	ceremony, response := h.answers()
	_, err := c.SignInWithPasskey(h.s.t.Context(), ceremony, response)
	return c, err
}

// A passkey stands for both factors, and what is not exactly the answer to a ceremony of this site, by this key, once
// and in time, opens nothing.
func TestAttacksOnPasskeys(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	dagny, viewer := s.as("dagny", "support"), s.as("runa", "viewer")
	s.config.RequireSecondFactor = true
	s.restart()
	_, err := dagny.Devices(ctx, client.DeviceQuery{}, client.Page{})
	problem(t, err, http.StatusForbidden, "needs a second factor")
	h := s.holds(dagny, "ferry key")
	c, err := h.enters()
	require.NoError(t, err)
	_, err = c.Devices(ctx, client.DeviceQuery{}, client.Page{})
	require.NoError(t, err, "no code is asked for")

	// A password alone sets up nothing beside it.
	only := client.New(s.URL, "").Look(hasLooked)
	_, err = only.SignIn(ctx, "dagny", ownerPassword)
	require.NoError(t, err)
	_, err = only.BeginSecondFactor(ctx)
	problem(t, err, http.StatusForbidden, "sign in with your passkey")
	_, err = only.BeginPasskey(ctx)
	problem(t, err, http.StatusForbidden, "sign in with your passkey")

	refused := func(what, ceremony string, response json.RawMessage, says string) {
		t.Helper()
		_, err := client.New(s.URL, "").Look(hasLooked).SignInWithPasskey(ctx, ceremony, response)
		p := problem(t, err, http.StatusUnauthorized, says)
		require.NotNil(t, p, what)
	}
	ceremony, response := h.answers()
	_, err = client.New(s.URL, "").Look(hasLooked).SignInWithPasskey(ctx, ceremony, response)
	require.NoError(t, err)
	const used, lied = "belongs to nothing that was begun here", "was not believed"
	refused("a replay", ceremony, response, used)
	other, _ := h.answers()
	refused("an answer to another ceremony", other, response, lied)
	refused("which is used up by that", other, response, used)
	refused("a made up ceremony", "nonsense", response, used)
	ceremony, response = h.answers()
	s.clock.forward(11 * time.Minute)
	refused("an answer too late", ceremony, response, used)
	for what, alter := range map[string]func(h *holder){
		"another site": func(h *holder) { h.site.Origin = "https://rankwarden.example" },
		"for another":  func(h *holder) { h.site.ID = "skerryline.example" },
		"nobody there": func(h *holder) { h.auth.Options.UserNotVerified = true },
		"another key": func(h *holder) {
			k := virtualwebauthn.NewCredential(virtualwebauthn.KeyTypeEC2)
			k.ID = h.key.ID
			h.key = k
		},
		"a copy":        func(h *holder) { h.key.Counter = 0 },
		"of a stranger": func(h *holder) { h.auth.Options.UserHandle = []byte("nobody") },
	} {
		liar := *h
		alter(&liar)
		ceremony, response = liar.answers()
		refused(what, ceremony, response, lied)
	}
	c, err = h.enters()
	require.NoError(t, err, "the truth still opens")

	// Somebody else's answer makes no session of mine fresh.
	ceremony, response = h.answers()
	problem(t, viewer.SignInAgainWithPasskey(ctx, ceremony, response), http.StatusForbidden, "second factor")
	begun, err := c.BeginPasskey(ctx)
	require.NoError(t, err)
	_, err = viewer.AddPasskey(ctx, "stolen", begun.Ceremony, json.RawMessage(`{}`))
	problem(t, err, http.StatusUnauthorized, "begun here")
	s.clock.forward(16 * time.Minute)
	_, err = c.BeginPasskey(ctx)
	problem(t, err, http.StatusForbidden, "within 15 minutes")
	ceremony, response = h.answers()
	require.NoError(t, c.SignInAgainWithPasskey(ctx, ceremony, response))
	_, err = c.BeginPasskey(ctx)
	require.NoError(t, err)

	// An owner takes it away from who lost it; a disabled operator has nothing of it.
	_, err = s.owner.SignIn(ctx, "asta", ownerPassword)
	require.NoError(t, err)
	keys, err := c.Passkeys(ctx)
	require.NoError(t, err)
	require.Len(t, keys, 1)
	owner := s.holds(s.owner, "owner key")
	s.owner, err = owner.enters()
	require.NoError(t, err)
	_, err = s.owner.EditOperator(ctx, "dagny", client.OperatorChange{Disabled: new(true)})
	require.NoError(t, err)
	ceremony, response = h.answers()
	refused("who is disabled", ceremony, response, "opens nothing here any more")
	_, err = s.owner.EditOperator(ctx, "dagny", client.OperatorChange{Disabled: new(false), ResetSecondFactor: true})
	require.NoError(t, err)
	ceremony, response = h.answers()
	refused("who was reset", ceremony, response, lied)
	s.clock.forward(2 * time.Minute)
	require.NoError(t, s.Strangers.Record(ctx))
	entries, err := s.owner.Trail(ctx, client.TrailQuery{Actor: "strangers"}, client.Page{Limit: 100})
	require.NoError(t, err)
	assert.NotEmpty(t, entries.Items, "what was refused is on the trail, summed up by the minute")

	assert.Nil(t, access.NewPasskeys("Skerry Line", "https://192.0.2.7"), "browsers make none for a number")
	assert.Equal(t, []string{"http://localhost"}, access.NewPasskeys("Skerry Line", "http://127.0.0.1").
		Config.RPOrigins)
	assert.Equal(t, "warden.skerryline.example",
		access.NewPasskeys("Skerry Line", "https://warden.skerryline.example/").Config.RPID)
}

func TestPasskeysInTheConsole(t *testing.T) {
	s := start(t)
	dagny := s.as("dagny", "viewer")
	b := openTab(t, 1280, 800)
	b.do("an authenticator", webauthn.Enable(), chromedp.ActionFunc(func(ctx context.Context) error {
		_, err := webauthn.AddVirtualAuthenticator(&webauthn.VirtualAuthenticatorOptions{
			Protocol: webauthn.AuthenticatorProtocolCtap2, Transport: webauthn.AuthenticatorTransportInternal,
			HasResidentKey:      true,
			HasUserVerification: true, IsUserVerified: true, AutomaticPresenceSimulation: true,
		}).Do(ctx)
		return err
	}))
	b.do("add one",
		browser.SignIn(s.localhost(), "dagny", ownerPassword),
		chromedp.Navigate(s.localhost()+"/me"),
		browser.Reads("Add a passkey"),
		browser.Type(`input[maxlength="60"]`, "bridge laptop"),
		click("Add a passkey"),
		browser.Seen(`ul[aria-label="Your passkeys"] li`),
		browser.Reads("bridge laptop"))
	b.axeInBoth("passkeys")
	keys, err := dagny.Passkeys(t.Context())
	require.NoError(t, err)
	problem(t, dagny.RemovePasskey(t.Context(), keys[0].ID), http.StatusForbidden, "sign in with your passkey")
	b.do("sign in with it",
		chromedp.Evaluate(`fetch("/api/v1/session", {method: "DELETE"}).then(() => location.assign("/watch"))`, nil,
			browser.Awaited),
		browser.Reads("Use a passkey"),
		click("Use a passkey"),
		browser.Reads("devices, 0 online"),
		chromedp.Navigate(s.localhost()+"/me"), browser.Click(`//button[contains(., "Remove")]`),
		browser.Until(`!document.body.innerText.includes("bridge laptop")`))
}
