package access

import (
	"context"
	"encoding/json"
	"errors"
	"net"
	"net/url"
	"strings"

	"github.com/go-webauthn/webauthn/protocol"
	"github.com/go-webauthn/webauthn/webauthn"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/base/auth"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// mostPasskeys bounds how many one operator has.
const mostPasskeys = 20

// NewPasskeys says for which site passkeys are (WebAuthn): that of the console's address. Where people reach the
// console by an IP address, which browsers make no passkeys for, it is nil; loopback counts as localhost.
func NewPasskeys(organisation, address string) *webauthn.WebAuthn {
	u, err := url.Parse(address)
	if err != nil {
		return nil
	}
	site := u.Hostname()
	if ip := net.ParseIP(site); ip != nil {
		if !ip.IsLoopback() {
			return nil
		}
		site = "localhost"
		u.Host = strings.Replace(u.Host, u.Hostname(), site, 1)
	}
	w, err := webauthn.New(&webauthn.Config{RPID: site, RPDisplayName: "Rank Warden, " + organisation,
		RPOrigins: []string{u.Scheme + "://" + u.Host}})
	if err != nil {
		return nil
	}
	return w
}

var errNoPasskeys = refusal.New(refusal.NotFound,
	"passkeys need a name in the address of the console; whoever runs the service gives it with public-url")

// keyHolder is an operator as the library wants one.
type keyHolder struct {
	id, name string
	keys     []webauthn.Credential
}

// WebAuthnID implements [webauthn.User].
func (h keyHolder) WebAuthnID() []byte { return []byte(h.id) }

// WebAuthnName implements [webauthn.User].
func (h keyHolder) WebAuthnName() string { return h.name }

// WebAuthnDisplayName implements [webauthn.User].
func (h keyHolder) WebAuthnDisplayName() string { return h.name }

// WebAuthnCredentials implements [webauthn.User].
func (h keyHolder) WebAuthnCredentials() []webauthn.Credential { return h.keys }

// holder reads an operator with the passkeys.
func (s *Service) holder(tx Reads, id, name string) (h keyHolder, err error) {
	h = keyHolder{id: id, name: name}
	list, err := tx.Passkeys(id)
	for _, p := range list {
		var c webauthn.Credential
		if err := json.Unmarshal([]byte(p.Credential), &c); err != nil {
			return h, err
		}
		h.keys = append(h.keys, c)
	}
	return h, err
}

// Ceremony is what the browser is asked to do, and the secret that finishes it.
type Ceremony struct {
	Secret  string
	Options json.RawMessage // of navigator.credentials
}

// begin keeps a ceremony.
func (s *Service) begin(
	ctx context.Context, operator, address string, session *webauthn.SessionData, options any,
) (c Ceremony, err error) {
	kept, err := json.Marshal(session)
	if err != nil {
		return c, err
	}
	if c.Options, err = json.Marshal(options); err != nil {
		return c, err
	}
	c.Secret = auth.NewSecret()
	return c, s.Do(ctx, uow.Upkeep(), func(tx Records, _ *uow.Work) error {
		underWay, err := tx.AddCeremony(store.PasskeyCeremony{Hash: auth.HashSecret(c.Secret), OperatorID: operator,
			Session: string(kept),
			Address: address, CreatedAt: s.Now()}, s.Now().Add(-attemptLife))
		if err == nil && underWay > mostUnderWay {
			err = errTooManyUnderWay
		}
		return err
	})
}

var errCeremony = refusal.New(refusal.Unauthorised,
	"this answer belongs to nothing that was begun here, or it was used already; try again")

// take gives back a ceremony of an operator, and ends it.
func (s *Service) take(ctx context.Context, secret, operator string) (session webauthn.SessionData, err error) {
	var c store.PasskeyCeremony
	err = s.Do(ctx, uow.Upkeep(), func(tx Records, _ *uow.Work) (err error) {
		c, err = tx.TakeCeremony(auth.HashSecret(secret))
		return err
	})
	if errors.Is(err, store.ErrNotFound) || err == nil &&
		(s.Now().Sub(c.CreatedAt) > attemptLife || c.OperatorID != operator) {
		return session, errCeremony
	}
	if err == nil {
		err = json.Unmarshal([]byte(c.Session), &session)
	}
	return session, err
}

// BeginPasskey begins to make a passkey for who is signed in.
func (s *Service) BeginPasskey(ctx context.Context, who rights.Identity) (Ceremony, error) {
	switch {
	case s.Passkeys == nil:
		return Ceremony{}, errNoPasskeys
	case who.AtProvider:
		return Ceremony{}, refusal.New(refusal.Conflict,
			"you sign in with the identity provider; set a passkey up there")
	case !who.Fresh(s.Now()):
		return Ceremony{}, errNotFresh
	}
	h, err := s.holder(s.Read(ctx), who.OperatorID, who.Name)
	if err != nil {
		return Ceremony{}, err
	}
	if !who.Factor && len(h.keys) > 0 {
		return Ceremony{}, errFactorFirst
	}
	if len(h.keys) >= mostPasskeys {
		return Ceremony{}, refusal.New(refusal.Conflict, "you have %d passkeys, which is the most; remove one first",
			len(h.keys))
	}
	options, session, err := s.Passkeys.BeginRegistration(h,
		webauthn.WithExclusions(webauthn.Credentials(h.keys).CredentialDescriptors()),
		webauthn.WithAuthenticatorSelection(protocol.AuthenticatorSelection{
			ResidentKey: protocol.ResidentKeyRequirementRequired, RequireResidentKey: protocol.ResidentKeyRequired(),
			UserVerification: protocol.VerificationRequired,
		}))
	if err != nil {
		return Ceremony{}, err
	}
	return s.begin(ctx, who.OperatorID, who.Address, session, options)
}

// AddPasskey takes the passkey that a browser made.
func (s *Service) AddPasskey(
	ctx context.Context, who rights.Identity, name, secret string, response []byte,
) (made store.Passkey, err error) {
	if s.Passkeys == nil {
		return made, errNoPasskeys
	}
	if name == "" || len(name) > 60 || text.CheckVisible(name) != nil {
		return made, refusal.New(refusal.Invalid,
			"give the passkey a name of 60 characters at most, such as that of the device").At("name")
	}
	act := uow.ByOperator(operation.AddPasskey, who, who.Name)
	session, err := s.take(ctx, secret, who.OperatorID)
	if err != nil {
		return made, s.Refuse(ctx, act, err)
	}
	parsed, err := protocol.ParseCredentialCreationResponseBytes(response)
	if err != nil {
		return made, s.Refuse(ctx, act, errNotBelieved)
	}
	return made, s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		h, err := s.holder(tx, who.OperatorID, who.Name)
		if err != nil {
			return err
		}
		credential, err := s.Passkeys.CreateCredential(h, session, parsed)
		if err != nil {
			s.Log.Warn("a passkey was not believed", "operator", who.Name, "error", err)
			return errNotBelieved
		}
		kept, err := json.Marshal(credential)
		if err != nil {
			return err
		}
		made = store.Passkey{ID: credential.ID, OperatorID: who.OperatorID, Name: name, Credential: string(kept),
			CreatedAt: s.Now()}
		w.After = map[string]any{"name": name}
		return refusal.Named(tx.AddPasskey(made), "passkey", name)
	})
}

var errNotBelieved = refusal.New(refusal.Unauthorised, "the answer of the passkey was not believed; try again")

// PasskeysOf are those of who is signed in.
func (s *Service) PasskeysOf(ctx context.Context, who rights.Identity) ([]store.Passkey, error) {
	return s.Read(ctx).Passkeys(who.OperatorID)
}

// RemovePasskey removes one of who is signed in.
func (s *Service) RemovePasskey(ctx context.Context, who rights.Identity, id []byte) error {
	act := uow.ByOperator(operation.RemovePasskey, who, who.Name)
	if !who.Fresh(s.Now()) {
		return errNotFresh
	}
	return s.Do(ctx, act, func(tx Records, _ *uow.Work) error {
		if err := tx.DropPasskey(who.OperatorID, id); err != nil {
			return refusal.Named(err, "passkey", "of this identifier")
		}
		if !who.Factor { // or whoever has the password alone could take it away, and set up their own
			return errFactorFirst
		}
		return nil
	})
}
