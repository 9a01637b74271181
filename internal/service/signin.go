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
	name = strings.TrimSpace(name)
	db, now := s.Store.With(ctx), s.Now()
	subjects := []string{"name " + name, "address " + address}
	failures, err := db.SignInFailures(subjects...)
	if err != nil {
		return "", auth.Identity{}, err
	}
	for _, f := range failures {
		if wait := f.BlockedTo.Sub(now); wait > 0 {
			return "", auth.Identity{}, failf(TooMany, "too many wrong passwords; try again in %s", wait.Round(time.Second)+time.Second)
		}
	}
	operator, err := db.OperatorByName(name)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return "", auth.Identity{}, err
	}
	who := auth.Identity{OperatorID: operator.ID, Name: name, Role: auth.Role(operator.Role), Address: address}
	if !auth.CheckPassword(password, operator.PasswordHash) || operator.DisabledAt != nil {
		return "", auth.Identity{}, s.signInFailed(ctx, who, subjects, failures)
	}
	secret := auth.NewSecret()
	err = s.InTx(ctx, func(tx store.Tx) error {
		if err := tx.ClearSignInFailures(subjects...); err != nil {
			return err
		}
		session := store.Session{Hash: auth.HashSecret(secret), OperatorID: operator.ID, Address: address, CreatedAt: now, ExpiresAt: now.Add(SessionLength)}
		if err := tx.AddSession(session); err != nil {
			return err
		}
		return s.audit(tx, who, record{action: "session.opened", object: name})
	})
	return secret, who, err
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
	operator, err := s.Store.With(ctx).SessionOperator(auth.HashSecret(secret), s.Now())
	if errors.Is(err, store.ErrNotFound) {
		return auth.Identity{}, ErrSignIn
	}
	return auth.Identity{OperatorID: operator.ID, Name: operator.Name, Role: auth.Role(operator.Role), Address: address}, err
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
	role := auth.Role(a.Role)
	if !role.Within(auth.Role(operator.Role)) {
		role = auth.Role(operator.Role) // the operator's rights have shrunk since
	}
	if operator.DisabledAt != nil {
		return auth.Identity{}, refused
	}
	return auth.Identity{OperatorID: operator.ID, Name: operator.Name, Role: role, Address: address}, nil
}
