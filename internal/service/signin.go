package service

import (
	"context"
	"errors"
	"strings"
	"time"

	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/store"
)

// SessionLength is how long a sign-in to the console lasts.
const SessionLength = 12 * time.Hour

// SignIn checks a name and password and opens a session; it gives the session's secret.
func (s *Service) SignIn(ctx context.Context, name, password, address string) (string, auth.Identity, error) {
	secret := auth.NewSecret()
	who, err := s.checkPassword(ctx, strings.TrimSpace(name), password, address, func(tx store.Tx, who auth.Identity) error {
		session := store.Session{Hash: auth.HashSecret(secret), OperatorID: who.OperatorID, Address: address, CreatedAt: who.FreshAt, ExpiresAt: who.FreshAt.Add(SessionLength), FreshAt: who.FreshAt}
		if err := tx.AddSession(session); err != nil {
			return err
		}
		return s.audit(tx, who, record{action: "session.opened", object: who.Name})
	})
	return secret, who, err
}

// SignInAgain checks the password of who is signed in, so that for a while it counts as fresh.
func (s *Service) SignInAgain(ctx context.Context, who auth.Identity, session, password string) error {
	_, err := s.checkPassword(ctx, who.Name, password, who.Address, func(tx store.Tx, now auth.Identity) error {
		if now.OperatorID != who.OperatorID {
			return ErrSignIn
		}
		refreshed := tx.RefreshSession(auth.HashSecret(session), now.FreshAt)
		if who.Token != "" {
			refreshed = tx.RefreshToken(who.Token, now.FreshAt)
		}
		if refreshed != nil {
			return refreshed
		}
		return s.audit(tx, who, record{action: "session.refreshed", object: who.Name})
	})
	return err
}

// checkPassword checks a name and password, under the limits of attempts, and does what follows a right one.
func (s *Service) checkPassword(ctx context.Context, name, password, address string, then func(tx store.Tx, who auth.Identity) error) (auth.Identity, error) {
	db, now := s.Store.With(ctx), s.Now()
	operator, err := db.OperatorByName(name)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return auth.Identity{}, err
	}
	who := auth.Identity{OperatorID: operator.ID, Name: name, Grants: operator.Grants, Address: address, FreshAt: now}
	attempt, err := s.spendAttempt(ctx, who)
	if err != nil {
		return auth.Identity{}, s.strangerRefused(ctx, "session.opened", address, name, err)
	}
	right, err := s.passwords.compare(ctx, password, operator.PasswordHash)
	if err != nil {
		return auth.Identity{}, err
	}
	if !right || operator.DisabledAt != nil {
		return auth.Identity{}, s.strangerRefused(ctx, "session.opened", address, name,
			failf(Unauthorised, "name or password is wrong; try again, or ask an owner for a new password"))
	}
	return who, s.InTx(ctx, func(tx store.Tx) error {
		if err := attempt.giveBack(tx); err != nil {
			return err
		}
		if err := tx.RememberAddress(operator.ID, address, now); err != nil {
			return err
		}
		return then(tx, who)
	})
}

// SignOut ends a session.
func (s *Service) SignOut(ctx context.Context, who auth.Identity, secret string) error {
	return s.InTx(ctx, func(tx store.Tx) error {
		if err := tx.EndSession(auth.HashSecret(secret)); err != nil {
			return err
		}
		return s.audit(tx, who, record{action: "session.closed", object: who.Name})
	})
}

// ErrSignIn is given to whoever is not signed in.
var ErrSignIn = failf(Unauthorised, "nobody is signed in, or the session has ended; sign in again")

// BySession finds who a session belongs to.
func (s *Service) BySession(ctx context.Context, secret, address string) (auth.Identity, error) {
	operator, session, err := s.Store.With(ctx).SessionOperator(auth.HashSecret(secret), s.Now())
	if errors.Is(err, store.ErrNotFound) {
		return auth.Identity{}, ErrSignIn
	}
	return auth.Identity{OperatorID: operator.ID, Name: operator.Name, Grants: operator.Grants, Address: address, FreshAt: session.FreshAt}, err
}

// ByToken finds who an API token belongs to.
func (s *Service) ByToken(ctx context.Context, token, address string) (auth.Identity, error) {
	db := s.Store.With(ctx)
	refused := failf(Unauthorised, "the token is not known, was revoked or has expired; make a new one")
	a, err := db.LiveAPIToken(auth.HashSecret(token), s.Now())
	if errors.Is(err, store.ErrNotFound) {
		return auth.Identity{}, refused
	}
	if err != nil {
		return auth.Identity{}, err
	}
	operator, err := db.Operator(a.OperatorID)
	if err != nil {
		return auth.Identity{}, err
	}
	if operator.DisabledAt != nil {
		return auth.Identity{}, refused
	}
	who := auth.Identity{OperatorID: operator.ID, Name: operator.Name, Grants: auth.Limited(a.Grants, operator.Grants), Address: address, Token: a.ID}
	if len(who.Grants) == 0 {
		return auth.Identity{}, refused // the operator's rights have shrunk since
	}
	if a.FreshAt != nil {
		who.FreshAt = *a.FreshAt
	}
	return who, nil
}
