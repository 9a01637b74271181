// Package provider is a small stand-in for an identity provider (OpenID Connect), for the demo and for tests: whoever
// comes chooses who to be. It keeps everything in memory, and asks nobody for a password.
package provider

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"html/template"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/go-jose/go-jose/v4/jwt"
)

// Person is one that may sign in.
type Person struct {
	Subject string
	Name    string
	Groups  []string
}

// Provider is a running stand-in; it is an [http.Handler] below its issuer.
type Provider struct {
	Issuer string
	Client string // the one that is known
	People []Person
	Now    func() time.Time
	// Lie alters the claims of an identity token before it is signed, and gives the key that signs it; nil tells the
	// truth.
	Lie func(claims map[string]any, key *ecdsa.PrivateKey) *ecdsa.PrivateKey

	key   *ecdsa.PrivateKey
	mu    sync.Mutex
	codes map[string]granted
}

// granted is a code that was given out and not taken back yet.
type granted struct {
	person                     Person
	nonce, challenge, redirect string
	at                         time.Time
}

// New makes a stand-in with a key of its own.
func New(issuer, client string, people ...Person) (*Provider, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	return &Provider{Issuer: issuer, Client: client, People: people, Now: time.Now, key: key,
		codes: map[string]granted{}}, err
}

const keyID = "stand-in"

// ServeHTTP implements [http.Handler].
func (p *Provider) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	switch r.URL.Path {
	case "/.well-known/openid-configuration":
		answer(w, http.StatusOK, map[string]any{
			"issuer": p.Issuer, "authorization_endpoint": p.Issuer + "/authorize",
			"token_endpoint": p.Issuer + "/token",
			"jwks_uri":       p.Issuer + "/keys", "end_session_endpoint": p.Issuer + "/leave",
			"response_types_supported": []string{"code"},
			"subject_types_supported":  []string{"public"}, "id_token_signing_alg_values_supported": []string{"ES256"},
			"code_challenge_methods_supported": []string{"S256"},
		})
	case "/keys":
		answer(w, http.StatusOK, jose.JSONWebKeySet{Keys: []jose.JSONWebKey{
			{Key: &p.key.PublicKey, KeyID: keyID, Algorithm: string(jose.ES256), Use: "sig"},
		}})
	case "/authorize":
		p.authorize(w, r)
	case "/token":
		p.token(w, r)
	case "/leave":
		p.leave(w, r)
	default:
		http.NotFound(w, r)
	}
}

func answer(w http.ResponseWriter, status int, value any) {
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(value) // whoever asked has gone otherwise
}

// choice asks who to be.
var choice = template.Must(template.New("choice").Parse(`<!doctype html><html lang="en"><head><meta charset="utf-8">
<title>Stand-in for an identity provider</title><style>body{font:16px/1.5 sans-serif;margin:10vh auto;max-width:32rem;padding:0 1rem}
button{display:block;width:100%;margin:.4rem 0;padding:.6rem;font:inherit;text-align:left}</style></head><body>
<h1>Who are you today?</h1><p>This stand-in for an identity provider asks for no password. It is for the demo and for tests.</p>
<form method="post" action="{{.Action}}">{{range .People}}<button name="subject" value="{{.Subject}}"><b>{{.Name}}</b>{{range .Groups}} · {{.}}{{end}}</button>{{end}}</form>
</body></html>`))

// authorize lets somebody choose, and sends the browser back with a code.
func (p *Provider) authorize(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	back, err := url.Parse(q.Get("redirect_uri"))
	if err != nil || back.Host == "" || q.Get("client_id") != p.Client || q.Get("response_type") != "code" ||
		q.Get("code_challenge_method") != "S256" || q.Get("code_challenge") == "" {
		http.Error(w, "this is no request of the client that is known here", http.StatusBadRequest)
		return
	}
	if r.Method != http.MethodPost {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		_ = choice.Execute(w, struct {
			Action string
			People []Person
		}{"/authorize?" + r.URL.RawQuery, p.People})
		return
	}
	for _, person := range p.People {
		if person.Subject != r.FormValue("subject") {
			continue
		}
		code := rand.Text()
		p.mu.Lock()
		p.codes[code] = granted{person, q.Get("nonce"), q.Get("code_challenge"), q.Get("redirect_uri"), p.Now()}
		p.mu.Unlock()
		query := back.Query()
		query.Set("code", code)
		query.Set("state", q.Get("state"))
		back.RawQuery = query.Encode()
		http.Redirect(w, r, back.String(), http.StatusSeeOther)
		return
	}
	http.Error(w, "nobody of that name is here", http.StatusBadRequest)
}

// token takes a code back, once, from whoever has its verifier (RFC 7636).
func (p *Provider) token(w http.ResponseWriter, r *http.Request) {
	p.mu.Lock()
	g, known := p.codes[r.FormValue("code")]
	delete(p.codes, r.FormValue("code"))
	p.mu.Unlock()
	sum := sha256.Sum256([]byte(r.FormValue("code_verifier")))
	if !known || base64.RawURLEncoding.EncodeToString(sum[:]) != g.challenge ||
		r.FormValue("redirect_uri") != g.redirect {
		answer(w, http.StatusBadRequest, map[string]string{"error": "invalid_grant"})
		return
	}
	now := p.Now()
	claims := map[string]any{
		"iss": p.Issuer, "sub": g.person.Subject, "aud": p.Client, "nonce": g.nonce,
		"preferred_username": g.person.Name,
		"groups":             g.person.Groups, "iat": now.Unix(), "exp": now.Add(5 * time.Minute).
					Unix(), "auth_time": g.at.Unix(),
	}
	key := p.key
	if p.Lie != nil {
		key = p.Lie(claims, key)
	}
	signer, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.ES256, Key: jose.JSONWebKey{Key: key, KeyID: keyID}},
		nil)
	if err != nil {
		http.Error(w, "signing failed", http.StatusInternalServerError)
		return
	}
	token, err := jwt.Signed(signer).Claims(claims).Serialize()
	if err != nil {
		http.Error(w, "signing failed", http.StatusInternalServerError)
		return
	}
	answer(w, http.StatusOK, map[string]any{"access_token": rand.Text(), "token_type": "Bearer", "expires_in": 300,
		"id_token": token})
}

// leave sends the browser back; nobody stays signed in here anyway.
func (p *Provider) leave(w http.ResponseWriter, r *http.Request) {
	back := r.URL.Query().Get("post_logout_redirect_uri")
	if !strings.HasPrefix(back, "http://127.0.0.1:") {
		http.Error(w, "signed out", http.StatusOK)
		return
	}
	http.Redirect(w, r, back, http.StatusSeeOther)
}
