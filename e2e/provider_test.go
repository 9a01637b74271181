package e2e

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"encoding/json"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/client"
	"rankwarden.example/core/rights"
	standin "rankwarden.example/demo/provider"
	"rankwarden.example/e2e/browser"
	"rankwarden.example/internal/wire/oidc"
)

// withProvider has people sign in with a stand-in for an identity provider.
func (s *service) withProvider() *standin.Provider {
	var p *standin.Provider
	web := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { p.ServeHTTP(w, r) }))
	s.t.Cleanup(web.Close)
	p, err := standin.New(web.URL, "rankwarden",
		standin.Person{Subject: "1", Name: "Sunniva@skerryline.example", Groups: []string{"harbour-owners"}},
		standin.Person{Subject: "2", Name: "torleif", Groups: []string{"desk-support", "unheard-of"}},
		standin.Person{Subject: "3", Name: "gudrun", Groups: []string{"kitchen"}},
		standin.Person{Subject: "4", Name: "asta", Groups: []string{"desk-support"}})
	require.NoError(s.t, err)
	p.Now = s.clock.now
	s.stop()
	s.config.Provider = &oidc.Options{Name: "Skerry Line", Issuer: web.URL, ClientID: "rankwarden",
		Roles: []oidc.Mapping{
			{Group: "harbour-owners", Grant: rights.Grant{Role: rights.Owner}},
			{Group: "desk-support", Grant: rights.Grant{Role: rights.Viewer}},
		}}
	s.run()
	return p
}

// surfer is a browser without a window.
type surfer struct {
	*http.Client
	s *service
}

func (s *service) surfer() *surfer {
	jar, err := cookiejar.New(nil)
	require.NoError(s.t, err)
	return &surfer{&http.Client{Jar: jar, CheckRedirect: func(*http.Request,
		[]*http.Request) error {
		return http.ErrUseLastResponse
	}}, s}
}

// open opens a page, and gives its status, where it sends one, and what it says.
func (b *surfer) open(method, address string, form url.Values) (status int, to, text string) {
	req, err := http.NewRequestWithContext(b.s.t.Context(), method, address, strings.NewReader(form.Encode()))
	require.NoError(b.s.t, err)
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	resp, err := b.Do(req)
	require.NoError(b.s.t, err)
	defer resp.Body.Close()
	data, err := io.ReadAll(resp.Body)
	require.NoError(b.s.t, err)
	return resp.StatusCode, resp.Header.Get("Location"), string(data)
}

// begins goes to the provider; the address has everything that the answer needs.
func (b *surfer) begins(query string) (authorize string) {
	status, to, text := b.open("GET", b.s.URL+"/api/v1/provider/start"+query, nil)
	require.Equal(b.s.t, http.StatusSeeOther, status, text)
	return to
}

// chooses is somebody at the provider, who is sent back.
func (b *surfer) chooses(authorize, subject string) (callback string) {
	status, to, text := b.open("POST", authorize, url.Values{"subject": {subject}})
	require.Equal(b.s.t, http.StatusSeeOther, status, text)
	return to
}

// enters signs in as somebody of the provider, and gives what came of it.
func (b *surfer) enters(subject, query string) (status int, page string) {
	status, _, page = b.open("GET", b.chooses(b.begins(query), subject), nil)
	return status, page
}

func (b *surfer) me() (status int, body string) {
	status, _, body = b.open("GET", b.s.URL+"/api/v1/session", nil)
	return status, body
}

func TestPeopleSignInWithTheProvider(t *testing.T) {
	s := start(t)
	p := s.withProvider()
	b := s.surfer()
	status, page := b.enters("1", "?to=/trail")
	require.Equal(t, http.StatusOK, status, page)
	assert.Contains(t, page, `content="0;url=/trail"`)
	_, me := b.me()
	assert.Contains(t, me, `"name":"sunniva@skerryline.example"`)
	assert.Contains(t, me, `"role":"owner"`)
	assert.Contains(t, me, `"at_provider":true`)

	// Roles follow the groups of the provider, at each sign-in; what they gave before ends.
	second := s.surfer()
	_, page = second.enters("2", "")
	require.Contains(t, page, "Signed in")
	p.People[1].Groups = []string{"harbour-owners"}
	third := s.surfer()
	_, page = third.enters("2", "")
	require.Contains(t, page, "Signed in")
	_, me = third.me()
	assert.Contains(t, me, `"role":"owner"`)
	status, _ = second.me()
	assert.Equal(t, http.StatusUnauthorized, status)
	_, err := s.owner.EditOperator(t.Context(), "torleif", client.OperatorChange{Password: new(ownerPassword)})
	problem(t, err, http.StatusConflict, "signs in with the identity provider")
	problem(t, s.enters("torleif", ownerPassword, ""), http.StatusUnauthorized, "wrong")
	problem(t, s.enters("torleif", "", ""), http.StatusUnprocessableEntity, "")
	_, err = s.owner.EditOperator(t.Context(), "torleif", client.OperatorChange{Disabled: new(true)})
	require.NoError(t, err)
	status, page = s.surfer().enters("2", "")
	assert.Equal(t, http.StatusForbidden, status)
	assert.Contains(t, page, "may not sign in here any more")

	// Signing out ends the session here, and offers to end it there.
	status, _, left := b.open("DELETE", s.URL+"/api/v1/session", nil)
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, left, p.Issuer+"/leave?client_id=rankwarden")
	status, _ = b.me()
	assert.Equal(t, http.StatusUnauthorized, status)

	for subject, want := range map[string]string{"3": "is in no group that may use this", "4": "already"} {
		status, page = s.surfer().enters(subject, "")
		assert.Contains(t, []int{http.StatusForbidden, http.StatusConflict}, status, page)
		assert.Contains(t, page, want, "somebody of the provider is nobody of our own by the name alone")
	}
}

// A sign-in that was not begun in this browser, was used, or is answered by somebody else comes to nothing.
func TestAttacksOnTheSignInWithTheProvider(t *testing.T) {
	s := start(t)
	p := s.withProvider()
	refused := func(what string, b *surfer, callback, want string) {
		t.Helper()
		status, _, page := b.open("GET", callback, nil)
		assert.Equal(t, http.StatusUnauthorized, status, what)
		assert.Contains(t, page, want, what)
		status, _ = b.me()
		assert.Equal(t, http.StatusUnauthorized, status, what)
	}
	const foreign = "belongs to no sign-in that this browser began"
	b := s.surfer()
	callback := b.chooses(b.begins(""), "1")
	refused("an answer in another browser", s.surfer(), callback, foreign)
	refused("which is used by that", b, callback, foreign)
	callback = b.chooses(b.begins(""), "1")
	without := regexp.MustCompile(`state=[^&]*`).ReplaceAllString(callback, "")
	refused("no state", b, without, foreign)
	refused("a made up state", b, regexp.MustCompile(`state=[^&]*`).ReplaceAllString(callback, "state=x"), foreign)
	b = s.surfer()
	callback = b.chooses(b.begins(""), "1")
	status, _, _ := b.open("GET", callback, nil)
	require.Equal(t, http.StatusOK, status)
	refused("a replay", s.surfer(), callback, foreign)

	b = s.surfer()
	late := b.chooses(b.begins(""), "1")
	s.clock.forward(11 * time.Minute)
	refused("an answer too late", b, late, foreign)
	b = s.surfer()
	mixed := regexp.MustCompile(`code=[^&]*`).ReplaceAllString(b.chooses(b.begins(""), "1"), "code=stolen")
	refused("a code of nobody", b, mixed, "not believed")
	b = s.surfer()
	other := s.surfer()
	stolen := regexp.MustCompile(`code=([^&]*)`).FindStringSubmatch(other.chooses(other.begins(""), "1"))[1]
	mine := regexp.MustCompile(`code=[^&]*`).ReplaceAllString(b.chooses(b.begins(""), "2"), "code="+stolen)
	refused("a code of another sign-in, whose verifier this one has not", b, mine, "not believed")

	strange, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	for what, lie := range map[string]func(claims map[string]any, key *ecdsa.PrivateKey) *ecdsa.PrivateKey{
		"another nonce": func(c map[string]any, k *ecdsa.PrivateKey) *ecdsa.PrivateKey { c["nonce"] = "x"; return k },
		"no nonce":      func(c map[string]any, k *ecdsa.PrivateKey) *ecdsa.PrivateKey { delete(c, "nonce"); return k },
		"for another": func(c map[string]any,
			k *ecdsa.PrivateKey) *ecdsa.PrivateKey {
			c["aud"] = "somebody-else"
			return k
		},
		"of another": func(c map[string]any, k *ecdsa.PrivateKey) *ecdsa.PrivateKey {
			c["iss"] = "https://other.example"
			return k
		},
		"over already":   func(c map[string]any, k *ecdsa.PrivateKey) *ecdsa.PrivateKey { c["exp"] = 1; return k },
		"by another key": func(map[string]any, *ecdsa.PrivateKey) *ecdsa.PrivateKey { return strange },
		"without a name": func(c map[string]any, k *ecdsa.PrivateKey) *ecdsa.PrivateKey {
			delete(c, "preferred_username")
			return k
		},
		"with a bad claim": func(c map[string]any,
			k *ecdsa.PrivateKey) *ecdsa.PrivateKey {
			c["exp"] = "soon"
			return k
		},
	} {
		p.Lie = lie
		b := s.surfer()
		refused(what, b, b.chooses(b.begins(""), "1"), "not believed")
	}
	p.Lie = nil

	// Nobody is sent elsewhere.
	for _, to := range []string{"https://evil.example/", "//evil.example", `/\evil.example`, "javascript:alert(1)",
		`/watch"><script>`} {
		_, page := s.surfer().enters("1", "?to="+url.QueryEscape(to))
		assert.Contains(t, page, `content="0;url=/watch"`, to)
		assert.NotContains(t, page, "evil", to)
	}
	flood := s.surfer()
	for range 250 {
		if status, _, _ = flood.open("GET", s.URL+"/api/v1/provider/start", nil); status != http.StatusSeeOther {
			break
		}
	}
	assert.Equal(t, http.StatusTooManyRequests, status)
	refusals, err := s.owner.Trail(t.Context(), client.TrailQuery{Actor: "strangers"}, client.Page{})
	require.NoError(t, err)
	s.clock.forward(2 * time.Minute)
	require.NoError(t, s.Strangers.Record(t.Context()))
	after, err := s.owner.Trail(t.Context(), client.TrailQuery{Actor: "strangers"}, client.Page{})
	require.NoError(t, err)
	assert.Greater(t, len(after.Items), len(refusals.Items), "each is on the trail, summed up by the minute")
}

// To see a password one signs in again there; a provider that does not ask again is not enough.
func TestAFreshSignInWithTheProvider(t *testing.T) {
	s := start(t)
	p := s.withProvider()
	b := s.surfer()
	assert.NotContains(t, b.begins(""), "prompt=login")
	assert.Contains(t, b.begins("?fresh=true"), "max_age=0&")
	status, page := b.enters("1", "")
	require.Equal(t, http.StatusOK, status, page)
	here, err := url.Parse(s.URL)
	require.NoError(t, err)
	former := http.Header{"Cookie": {b.Jar.Cookies(here)[0].String()}}
	whoami := described{"whoami", "GET", "/api/v1/session"}
	require.Equal(t, http.StatusOK, try(t, s.URL, whoami, former))
	status, page = b.enters("1", "?fresh=true&to=/passwords")
	require.Equal(t, http.StatusOK, status, page)
	assert.Equal(t, http.StatusUnauthorized, try(t, s.URL, whoami, former), "the session of before has ended")
	p.Lie = func(c map[string]any, k *ecdsa.PrivateKey) *ecdsa.PrivateKey {
		c["auth_time"] = s.clock.now().Add(-time.Hour).Unix()
		return k
	}
	_, page = s.surfer().enters("1", "?fresh=true")
	assert.Contains(t, page, "did not ask for your password again")
	p.Lie = func(c map[string]any, k *ecdsa.PrivateKey) *ecdsa.PrivateKey { delete(c, "auth_time"); return k }
	_, page = s.surfer().enters("1", "?fresh=true")
	assert.Contains(t, page, "did not ask for your password again")
	status, _ = s.surfer().enters("1", "")
	assert.Equal(t, http.StatusOK, status)
}

// Where only the provider counts, passwords open nothing but the sealed owner; a provider that is down says so.
func TestOnlyTheProvider(t *testing.T) {
	s := start(t)
	p := s.withProvider()
	s.stop()
	s.config.OnlyProvider = true
	s.run()
	problem(t, s.enters("asta", ownerPassword, ""), http.StatusUnauthorized,
		"nobody signs in with a password here; use Skerry Line")
	b := openTab(t, 1280, 800)
	b.do("sign in",
		browser.SignInAt(s.URL, "Skerry Line", "Sunniva@skerryline.example"),
		browser.Reads("sunniva@skerryline.example"),
	)
	b.forget() // the stand-in has no icon
	require.NotEmpty(t, p.Issuer)
	s.stop()
	s.config.Provider.Issuer = "http://127.0.0.1:1"
	s.run()
	status, _, page := s.surfer().open("GET", s.URL+"/api/v1/provider/start", nil)
	assert.Equal(t, http.StatusServiceUnavailable, status)
	assert.Contains(t, page, "does not answer")
}

// What the provider said of somebody holds for an hour, for their sessions and for their tokens: whoever left is out
// after it, and whoever did not signs in there again.
func TestTheProviderSaysEachHourWhoSomebodyIs(t *testing.T) {
	s := start(t)
	p := s.withProvider()
	s.clock.stop()
	b := s.surfer()
	status, page := b.enters("2", "")
	require.Equal(t, http.StatusOK, status, page)
	at, err := url.Parse(s.URL)
	require.NoError(t, err)
	cookies := b.Jar.Cookies(at)
	require.NotEmpty(t, cookies)
	req, err := http.NewRequestWithContext(t.Context(), http.MethodPost, s.URL+"/api/v1/tokens",
		strings.NewReader(`{"name": "pipeline", "expires_in_hours": 7200}`))
	require.NoError(t, err)
	req.Header.Set("Content-Type", "application/json")
	resp, err := b.Do(req)
	require.NoError(t, err)
	defer resp.Body.Close()
	var token struct{ Secret string }
	require.NoError(t, json.NewDecoder(resp.Body).Decode(&token))
	require.NotEmpty(t, token.Secret)
	program := client.New(s.URL, token.Secret).Look(hasLooked)
	_, err = program.Me(t.Context())
	require.NoError(t, err)

	s.clock.forward(time.Hour - time.Second)
	_, err = program.Me(t.Context())
	require.NoError(t, err)
	status, _ = b.me()
	assert.Equal(t, http.StatusOK, status)
	s.clock.forward(2 * time.Second)
	_, err = program.Me(t.Context())
	assert.Equal(t, "confirm_at_provider", problem(t, err, 401, "sign in there again").Code)
	status, _ = b.me()
	assert.Equal(t, http.StatusUnauthorized, status)

	status, page = b.enters("2", "")
	require.Equal(t, http.StatusOK, status, page)
	_, err = program.Me(t.Context())
	assert.NoError(t, err, "the provider has said it again")

	p.People[1].Groups = nil // they have left
	s.clock.forward(time.Hour + time.Second)
	status, _ = b.enters("2", "")
	assert.NotEqual(t, http.StatusOK, status)
	_, err = program.Me(t.Context())
	assert.Error(t, err)
}
