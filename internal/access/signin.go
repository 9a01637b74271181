package access

import (
	"context"
	"errors"
	"strings"
	"time"

	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/refusal"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/uow"
)

// SessionLength is how long a sign-in to the console lasts.
const SessionLength = 12 * time.Hour

// SignIn checks a name and password and opens a session; it gives the session's secret.
func (s *Service) SignIn(ctx context.Context, name, password, address string) (string, auth.Identity, error) {
	secret := auth.NewSecret()
	who, err := s.checkPassword(
		ctx,
		strings.TrimSpace(name),
		password,
		address,
		"session.opened",
		func(tx Records, w *uow.Work) error {
			who := w.Who
			session := store.Session{
				Hash:       auth.HashSecret(secret),
				OperatorID: who.OperatorID,
				Address:    address,
				CreatedAt:  who.FreshAt,
				ExpiresAt:  who.FreshAt.Add(SessionLength),
				FreshAt:    who.FreshAt,
			}
			return tx.AddSession(session)
		},
	)
	return secret, who, err
}

// SignInAgain checks the password of who is signed in, so that for a while it counts as fresh.
func (s *Service) SignInAgain(ctx context.Context, who auth.Identity, session, password string) error {
	_, err := s.checkPassword(
		ctx,
		who.Name,
		password,
		who.Address,
		"session.refreshed",
		func(tx Records, w *uow.Work) error {
			now := w.Who
			if now.OperatorID != who.OperatorID {
				return ErrSignIn
			}
			refreshed := tx.RefreshSession(auth.HashSecret(session), now.FreshAt)
			if who.Token != "" {
				refreshed = tx.RefreshToken(who.Token, now.FreshAt)
			}
			w.Who = who
			return refreshed
		},
	)
	return err
}

// checkPassword checks a name and password, under the limits of attempts, and does what follows a right one.
func (s *Service) checkPassword(
	ctx context.Context,
	name, password, address, action string,
	then func(tx Records, w *uow.Work) error,
) (auth.Identity, error) {
	db, now := s.DB.With(ctx), s.Now()
	operator, err := db.OperatorByName(name)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return auth.Identity{}, err
	}
	who := auth.Identity{OperatorID: operator.ID, Name: name, Grants: operator.Grants, Address: address, FreshAt: now}
	attempt, err := s.spendAttempt(ctx, who)
	if err != nil {
		return auth.Identity{}, s.Strangers.Refused(ctx, "session.opened", address, name, err)
	}
	right, err := s.passwords.compare(ctx, password, operator.PasswordHash)
	if err != nil {
		return auth.Identity{}, err
	}
	if !right || operator.DisabledAt != nil {
		return auth.Identity{}, s.Strangers.Refused(
			ctx,
			"session.opened",
			address,
			name,
			refusal.New(
				refusal.Unauthorised,
				"name or password is wrong; try again, or ask an owner for a new password",
			),
		)
	}
	return who, s.Do(ctx, uow.Act{Who: who, Action: action, Object: name}, func(tx Records, w *uow.Work) error {
		if err := attempt.giveBack(tx); err != nil {
			return err
		}
		if err := tx.RememberAddress(operator.ID, address, now); err != nil {
			return err
		}
		return then(tx, w)
	})
}

// SignOut ends a session.
func (s *Service) SignOut(ctx context.Context, who auth.Identity, secret string) error {
	return s.Do(
		ctx,
		uow.Act{Who: who, Right: auth.SignedIn, Action: "session.closed", Object: who.Name},
		func(tx Records, _ *uow.Work) error {
			return tx.EndSession(auth.HashSecret(secret))
		},
	)
}

// ErrSignIn is given to whoever is not signed in.
var ErrSignIn = refusal.New(refusal.Unauthorised, "nobody is signed in, or the session has ended; sign in again")

// BySession finds who a session belongs to.
func (s *Service) BySession(ctx context.Context, secret, address string) (auth.Identity, error) {
	operator, session, err := s.DB.With(ctx).SessionOperator(auth.HashSecret(secret), s.Now())
	if errors.Is(err, store.ErrNotFound) {
		return auth.Identity{}, ErrSignIn
	}
	return auth.Identity{
		OperatorID: operator.ID,
		Name:       operator.Name,
		Grants:     operator.Grants,
		Address:    address,
		FreshAt:    session.FreshAt,
	}, err
}

// ByToken finds who an API token belongs to.
func (s *Service) ByToken(ctx context.Context, token, address string) (auth.Identity, error) {
	db := s.DB.With(ctx)
	refused := refusal.New(refusal.Unauthorised, "the token is not known, was revoked or has expired; create a new one")
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
	who := auth.Identity{
		OperatorID: operator.ID,
		Name:       operator.Name,
		Grants:     auth.Limited(a.Grants, operator.Grants),
		Address:    address,
		Token:      a.ID,
	}
	if len(who.Grants) == 0 {
		return auth.Identity{}, refused // the operator's rights have shrunk since
	}
	if a.FreshAt != nil {
		who.FreshAt = *a.FreshAt
	}
	return who, nil
}
