package access

import (
	"context"
	"errors"
	"strings"
	"time"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/auth"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// SessionLength is how long a sign-in to the console lasts.
const SessionLength = 12 * time.Hour

// confirmedFor is how long it holds that the identity provider said who somebody is: a leaver is out after it, with
// every session and token.
const confirmedFor = time.Hour

// given is what somebody gives to sign in; the code is that of a second factor, empty where none was asked for. It is
// proven where the session, opened a short while ago, has one.
type given struct {
	name, password, code string
	proven               bool
}

// SignIn checks a name and password, and the code of who has a second factor, and opens a session; it gives the
// session's secret.
func (s *Service) SignIn(ctx context.Context, name, password, code, address string) (string, rights.Identity, error) {
	secret := auth.NewSecret()
	who, err := s.checkPassword(
		ctx,
		given{name: strings.TrimSpace(name), password: password, code: code},
		address,
		operation.SignIn,
		func(tx Records, w *uow.Work) error {
			who := w.Who()
			session := store.Session{
				Hash:       auth.HashSecret(secret),
				OperatorID: who.OperatorID,
				Address:    address,
				CreatedAt:  who.FreshAt,
				ExpiresAt:  who.FreshAt.Add(SessionLength),
				FreshAt:    who.FreshAt,
				Factor:     who.Factor,
				Epoch:      who.Epoch,
			}
			return tx.AddSession(session)
		},
	)
	return secret, who, err
}

// SignInAgain checks the password of who is signed in, and a code where there is a second factor, so that for a while
// it counts as fresh.
func (s *Service) SignInAgain(ctx context.Context, who rights.Identity, session, password, code string) error {
	_, err := s.checkPassword(
		ctx,
		given{name: who.Name, password: password, code: code},
		who.Address,
		operation.SignInAgain,
		func(tx Records, w *uow.Work) error {
			now := w.Who()
			if now.OperatorID != who.OperatorID {
				return ErrSignIn
			}
			refreshed := tx.RefreshSession(auth.HashSecret(session), now.FreshAt)
			if who.Token != "" {
				refreshed = tx.RefreshToken(who.Token, now.FreshAt)
			}
			w.SetWho(who)
			return refreshed
		},
	)
	return err
}

// checkPassword checks a name and password and, where there is one, the second factor, under the limits of attempts,
// and does what follows right ones.
func (s *Service) checkPassword(
	ctx context.Context,
	given given,
	address string,
	op *operation.Operation,
	then func(tx Records, w *uow.Work) error,
) (rights.Identity, error) {
	db, now := s.Read(ctx), s.Now()
	operator, err := db.OperatorByName(given.name)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return rights.Identity{}, err
	}
	if s.OnlyProvider && operator.SealedAt == nil {
		return rights.Identity{}, s.Strangers.Refused(ctx, "session.opened", address, given.name,
			refusal.New(refusal.Unauthorised,
				"nobody signs in with a password here; use %s", s.Provider.Name))
	}
	factor, err := s.confirmed(db, operator)
	if err != nil {
		return rights.Identity{}, err
	}
	if given.proven {
		factor = nil
	}
	who := rights.Identity{
		OperatorID: operator.ID,
		Name:       given.name,
		Grants:     operator.Grants,
		Address:    address,
		FreshAt:    now,
		Factor:     factor != nil,
		MustChange: operator.FirstPassword,
		Epoch:      operator.Epoch,
	}
	attempt, err := s.spendAttempt(ctx, who, s.hasCode(factor, given.code))
	if err != nil {
		return rights.Identity{}, s.Strangers.Refused(ctx, "session.opened", address, given.name, err)
	}
	right, err := s.passwords.compare(ctx, given.password, operator.PasswordHash)
	if err != nil {
		return rights.Identity{}, err
	}
	if !right || operator.DisabledAt != nil {
		return rights.Identity{}, s.Strangers.Refused(ctx, "session.opened", address, given.name, refusal.New(
			refusal.Unauthorised,
			"name or password is wrong; try again, or ask an owner for a new password",
		))
	}
	act := uow.ByOperator(op, who, given.name)
	if factor != nil && given.code == "" {
		// The password was right: that attempt was no guess.
		return rights.Identity{}, errors.Join(
			s.Do(ctx, act.As(""), func(tx Records, _ *uow.Work) error { return attempt.giveBack(tx) }),
			errCodeNeeded,
		)
	}
	err = s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		if factor != nil {
			if err := s.takeCode(tx, w, operator.ID, given.code); err != nil {
				return err
			}
		}
		if err := attempt.giveBack(tx); err != nil {
			return err
		}
		if err := cameIn(tx, w, operator, map[string]any{}); err != nil {
			return err
		}
		return then(tx, w)
	})
	if errors.Is(err, errWrongCode) { // somebody has the password
		err = s.Refuse(ctx, act, errWrongCode)
	}
	return who, err
}

// cameIn notes on the operator who came in from where, and on the trail how, and that it was a sealed owner.
func cameIn(tx Records, w *uow.Work, operator store.Operator, how map[string]any) error {
	now := w.Who().FreshAt
	if operator.SealedAt != nil {
		how["sealed_owner"] = true
		if err := tx.OpenSealed(operator.ID, now); err != nil {
			return err
		}
	}
	if len(how) > 0 {
		w.After = how
	}
	return tx.RememberAddress(operator.ID, w.Who().Address, now)
}

// confirmed is the second factor that an operator must give, nil for none.
func (s *Service) confirmed(db Reads, operator store.Operator) (*store.SecondFactor, error) {
	if operator.ID == "" {
		return nil, nil
	}
	f, err := db.SecondFactor(operator.ID)
	if errors.Is(err, store.ErrNotFound) || err == nil && f.ConfirmedAt == nil {
		return nil, nil
	}
	return &f, err
}

// hasCode reports whether a code is right; it is not used by that.
func (s *Service) hasCode(f *store.SecondFactor, code string) bool {
	if f == nil || code == "" {
		return false
	}
	step, err := s.step(*f, code)
	return err == nil && step > 0
}

// takeCode uses a code of an operator's second factor as it is now.
func (s *Service) takeCode(tx Records, w *uow.Work, operator, code string) error {
	f, err := tx.LockSecondFactor(operator)
	if err != nil {
		return err
	}
	recovery, err := s.useCode(tx, f, code)
	if err != nil || !recovery {
		return err
	}
	left, err := tx.CountRecoveryCodes(operator)
	w.After = map[string]any{"recovery_code": true, "recovery_codes_left": left}
	return err
}

// SignOut ends a session.
func (s *Service) SignOut(ctx context.Context, who rights.Identity, secret string) error {
	return s.Do(ctx, uow.ByOperator(operation.SignOut, who, who.Name), func(tx Records, _ *uow.Work) error {
		return tx.EndSession(auth.HashSecret(secret))
	})
}

// ErrSignIn is given to whoever is not signed in.
var ErrSignIn = refusal.New(refusal.Unauthorised, "nobody is signed in, or the session has ended; sign in again")

// BySession finds who a session belongs to.
func (s *Service) BySession(ctx context.Context, secret, address string) (rights.Identity, error) {
	operator, session, err := s.Read(ctx).SessionOperator(auth.HashSecret(secret), s.Now())
	if errors.Is(err, store.ErrNotFound) {
		return rights.Identity{}, ErrSignIn
	}
	return rights.Identity{
		OperatorID: operator.ID,
		Name:       operator.Name,
		Grants:     operator.Grants,
		Address:    address,
		FreshAt:    session.FreshAt,
		Factor:     session.Factor,
		Sealed:     operator.SealedAt != nil,
		AtProvider: operator.Issuer != "",
		MustChange: operator.FirstPassword,
		Epoch:      operator.Epoch,
	}, err
}

// ByToken finds who an API token belongs to.
func (s *Service) ByToken(ctx context.Context, token, address string) (rights.Identity, error) {
	db := s.Read(ctx)
	refused := refusal.New(refusal.Unauthorised, "the token is not known, was revoked or has expired; create a new one")
	a, err := db.LiveAPIToken(auth.HashSecret(token), s.Now())
	if errors.Is(err, store.ErrNotFound) {
		return rights.Identity{}, refused
	}
	if err != nil {
		return rights.Identity{}, err
	}
	operator, err := db.Operator(a.OperatorID)
	if err != nil {
		return rights.Identity{}, err
	}
	if operator.DisabledAt != nil || operator.Epoch != a.Epoch {
		return rights.Identity{}, refused
	}
	if operator.Issuer != "" && (operator.ConfirmedAt == nil || s.Now().Sub(*operator.ConfirmedAt) > confirmedFor) {
		return rights.Identity{}, refusal.New(refusal.Unauthorised, "the identity provider has not said for an hour "+
			"who %s is; sign in there again, and the token works again", operator.Name).
			WithCode("confirm_at_provider")
	}
	who := rights.Identity{
		OperatorID: operator.ID,
		Name:       operator.Name,
		Grants:     rights.Limited(a.Grants, operator.Grants),
		Address:    address,
		Token:      a.ID,
		Epoch:      operator.Epoch,
	}
	if len(who.Grants) == 0 {
		return rights.Identity{}, refused // the operator's rights have shrunk since
	}
	if a.FreshAt != nil {
		who.FreshAt = *a.FreshAt
	}
	return who, nil
}
