package access

import (
	"context"
	"encoding/json"
	"errors"

	"github.com/go-webauthn/webauthn/protocol"
	"github.com/go-webauthn/webauthn/webauthn"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/auth"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// BeginPasskeySignIn begins a sign-in with whatever passkey the browser has for this site; nobody says a name, so
// nobody learns which there are.
func (s *Service) BeginPasskeySignIn(ctx context.Context, address string) (Ceremony, error) {
	if s.Passkeys == nil {
		return Ceremony{}, errNoPasskeys
	}
	options, session, err := s.Passkeys.BeginDiscoverableLogin(
		webauthn.WithUserVerification(protocol.VerificationRequired))
	if err != nil {
		return Ceremony{}, err
	}
	return s.begin(ctx, "", address, session, options)
}

// SignInWithPasskey opens a session for whose passkey answered. The device has asked for a fingerprint, a face or a
// number, so that it stands for both factors.
func (s *Service) SignInWithPasskey(
	ctx context.Context, ceremony string, response []byte, address string,
) (string, rights.Identity, error) {
	secret := auth.NewSecret()
	who, err := s.checkPasskey(ctx, ceremony, response, address, operation.SignInWithPasskey,
		func(tx Records, w *uow.Work) error {
			now := w.Who().FreshAt
			return tx.AddSession(store.Session{Hash: auth.HashSecret(secret), OperatorID: w.Who().
				OperatorID, Address: address, CreatedAt: now,
				ExpiresAt: now.Add(SessionLength), FreshAt: now, Factor: true,
				Epoch: w.Who().Epoch})
		})
	return secret, who, err
}

// SignInAgainWithPasskey has the session of who is signed in count as fresh, when their own passkey answered.
func (s *Service) SignInAgainWithPasskey(
	ctx context.Context, who rights.Identity, session, ceremony string, response []byte,
) error {
	_, err := s.checkPasskey(ctx, ceremony, response, who.Address, operation.SignInAgainWithPasskey,
		func(tx Records, w *uow.Work) error {
			if w.Who().OperatorID != who.OperatorID {
				return errNotBelieved
			}
			return tx.RefreshSession(auth.HashSecret(session), w.Who().FreshAt)
		})
	return err
}

// checkPasskey finds out whose passkey answered a sign-in, and does what follows.
func (s *Service) checkPasskey(
	ctx context.Context, ceremony string, response []byte, address string, op *operation.Operation,
	then func(tx Records, w *uow.Work) error,
) (who rights.Identity, err error) {
	if s.Passkeys == nil {
		return who, errNoPasskeys
	}
	refused := func(name string, why error) (rights.Identity, error) {
		return rights.Identity{}, s.Strangers.Refused(ctx, op.Action, address, name, why)
	}
	session, err := s.take(ctx, ceremony, "")
	if errors.Is(err, errCeremony) {
		return refused("", err)
	}
	if err != nil {
		return who, err
	}
	parsed, err := protocol.ParseCredentialRequestResponseBytes(response)
	if err != nil {
		return refused("", errNotBelieved)
	}
	db, now := s.Read(ctx), s.Now()
	var operator store.Operator
	find := func(_, handle []byte) (webauthn.User, error) {
		if operator, err = db.Operator(string(handle)); err != nil {
			return nil, err
		}
		return s.holder(db, operator.ID, operator.Name)
	}
	_, credential, err := s.Passkeys.ValidatePasskeyLogin(find, session, parsed)
	if err == nil && credential.Authenticator.CloneWarning {
		err = errors.New("its counter went back: it may be a copy")
	}
	if err != nil {
		s.Log.Warn("a passkey was not believed", "operator", operator.Name, "error", err)
		return refused(operator.Name, errNotBelieved)
	}
	if operator.DisabledAt != nil || operator.Issuer != "" || s.OnlyProvider && operator.SealedAt == nil {
		return refused(operator.Name, refusal.New(refusal.Unauthorised,
			"this passkey opens nothing here any more; ask an owner"))
	}
	who = rights.Identity{OperatorID: operator.ID, Name: operator.Name, Grants: operator.Grants, Address: address,
		FreshAt: now, Factor: true,
		Sealed: operator.SealedAt != nil, Epoch: operator.Epoch}
	kept, err := json.Marshal(credential)
	if err != nil {
		return who, err
	}
	err = s.Do(ctx, uow.ByOperator(op, who, operator.Name), func(tx Records, w *uow.Work) error {
		if err := cameIn(tx, w, operator, map[string]any{"passkey": true}); err != nil {
			return err
		}
		if err := tx.PasskeyUsed(store.Passkey{ID: credential.ID, Credential: string(kept), UsedAt: &now}); err != nil {
			return errNotBelieved // it was removed meanwhile
		}
		return then(tx, w)
	})
	return who, err
}
