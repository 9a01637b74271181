package service

import (
	"context"
	"errors"
	"strings"
	"time"

	"rankwarden.example/internal/audit"
	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/store"
)

// SessionLength is how long a sign-in to the console lasts.
const SessionLength = 12 * time.Hour

// Throttling of wrong passwords: free tries for a name or an address, then a wait that doubles from
// one second to the longest.
const (
	freeTries    = 5
	longestBlock = 15 * time.Minute
)

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
		if who.Token != "" {
			return tx.RefreshToken(who.Token, now.FreshAt)
		}
		return tx.RefreshSession(auth.HashSecret(session), now.FreshAt)
	})
	return err
}

// checkPassword checks a name and password, under the throttling of wrong ones, and does what follows
// a right one.
func (s *Service) checkPassword(ctx context.Context, name, password, address string, then func(tx store.Tx, who auth.Identity) error) (auth.Identity, error) {
	db, now := s.Store.With(ctx), s.Now()
	subjects := []string{"name " + name, "address " + address}
	failures, err := db.SignInFailures(subjects...)
	if err != nil {
		return auth.Identity{}, err
	}
	for _, f := range failures {
		if wait := f.BlockedTo.Sub(now); wait > 0 {
			return auth.Identity{}, failf(TooMany, "too many wrong passwords; try again in %s", wait.Round(time.Second)+time.Second)
		}
	}
	operator, err := db.OperatorByName(name)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return auth.Identity{}, err
	}
	who := auth.Identity{OperatorID: operator.ID, Name: name, Grants: operator.Grants, Address: address, FreshAt: now}
	if !auth.CheckPassword(password, operator.PasswordHash) || operator.DisabledAt != nil {
		return auth.Identity{}, s.signInFailed(ctx, who, subjects, failures)
	}
	return who, s.InTx(ctx, func(tx store.Tx) error {
		if err := tx.ClearSignInFailures(subjects...); err != nil {
			return err
		}
		return then(tx, who)
	})
}

func (s *Service) signInFailed(ctx context.Context, who auth.Identity, subjects []string, known []store.SignInFailure) error {
	now := s.Now()
	err := s.InTx(ctx, func(tx store.Tx) error {
		for _, subject := range subjects {
			f := store.SignInFailure{Subject: subject}
			for _, k := range known {
				if k.Subject == subject && now.Sub(k.LastAt) < time.Hour {
					f = k
				}
			}
			f.Failures++
			f.LastAt, f.BlockedTo = now, now
			if over := f.Failures - freeTries; over >= 0 {
				f.BlockedTo = now.Add(min(time.Second<<min(over, 20), longestBlock))
			}
			if err := tx.SetSignInFailure(f); err != nil {
				return err
			}
		}
		return s.audit(tx, who, record{action: "session.opened", object: who.Name, outcome: audit.Refused})
	})
	if err != nil {
		return err
	}
	return failf(Unauthorised, "name or password is wrong; try again, or ask an owner for a new password")
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
	who := auth.Identity{OperatorID: operator.ID, Name: operator.Name, Grants: auth.Within(operator.Grants, auth.Role(a.Role)), Address: address, Token: a.ID}
	if len(who.Grants) == 0 {
		return auth.Identity{}, refused // the operator's rights have shrunk since
	}
	if a.FreshAt != nil {
		who.FreshAt = *a.FreshAt
	}
	return who, nil
}
