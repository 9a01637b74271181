package access

import (
	"context"
	"crypto/subtle"
	"errors"
	"strings"
	"time"

	"golang.org/x/oauth2"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/base/auth"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/oidc"
)

// How long a sign-in may take at the provider, and how long ago it may have asked for the password to count as fresh.
const (
	attemptLife = 10 * time.Minute
	freshWithin = 5 * time.Minute
	// mostUnderWay bounds the sign-ins of one address that went to the provider and have not come back.
	mostUnderWay = 200
)

// errNoProvider is given where none is configured.
var errNoProvider = refusal.New(refusal.NotFound,
	"no identity provider is configured here; sign in with name and password")

// errAttempt is given for an answer that belongs to no sign-in of this browser.
var errAttempt = refusal.New(refusal.Unauthorised,
	"this answer belongs to no sign-in that this browser began, or it was used already; sign in again")

// errTooManyUnderWay is given to an address that begins to sign in again and again.
var errTooManyUnderWay = refusal.New(refusal.TooMany,
	"too many sign-ins of this address are under way; try again in some minutes").
	After(time.Minute)

// localPath is a path of the console, whatever was asked for: nobody is sent elsewhere.
func localPath(target string) string {
	if !strings.HasPrefix(target, "/") || strings.HasPrefix(target, "//") ||
		strings.ContainsAny(target, "\\\r\n\t<>\"") {
		return "/watch"
	}
	return target
}

// BeginAtProvider begins a sign-in with the identity provider: where the browser goes, and what it must bring back
// beside the answer.
func (s *Service) BeginAtProvider(
	ctx context.Context, target string, fresh bool, from, session string,
) (address, browser string, err error) {
	if s.Provider == nil {
		return "", "", errNoProvider
	}
	a := oidc.Attempt{State: auth.NewSecret(), Nonce: auth.NewSecret(), Verifier: oauth2.GenerateVerifier(),
		Fresh: fresh}
	browser = auth.NewSecret()
	if address, err = s.Provider.AuthURL(ctx, a); err != nil {
		s.Log.Error("the identity provider cannot be used", "error", err)
		return "", "", refusal.New(refusal.Unavailable,
			"the identity provider does not answer; try again, or ask an owner").After(time.Minute)
	}
	now := s.Now()
	err = s.Do(ctx, uow.Upkeep(), func(tx Records, _ *uow.Work) error {
		underWay, err := tx.AddProviderAttempt(store.ProviderAttempt{
			State: auth.HashSecret(a.State), Browser: auth.HashSecret(browser), Nonce: a.Nonce, Verifier: a.Verifier,
			Target: localPath(target), Address: from, Fresh: fresh, CreatedAt: now, Session: hashOf(session),
		}, now.Add(-attemptLife))
		if err == nil && underWay > mostUnderWay {
			err = errTooManyUnderWay
		}
		return err
	})
	return address, browser, err
}

// KeepProviderReach notes the groups of devices over which the provider's roles give reach, so that only owners
// change who is in them, also before anybody has come with such a role.
func (s *Service) KeepProviderReach(ctx context.Context) error {
	groups := []string{}
	if s.Provider != nil {
		for _, m := range s.Provider.Roles {
			groups = append(groups, m.Grant.Groups...)
		}
	}
	return s.Do(ctx, uow.Upkeep(), func(tx Records, _ *uow.Work) error { return tx.SetProviderReach(text.Set(groups)) })
}

// hashOf is the hash of a session's secret, nil for none.
func hashOf(session string) []byte {
	if session == "" {
		return nil
	}
	return auth.HashSecret(session)
}

// Returned is who came back from the provider, and where the browser goes on.
type Returned struct {
	Session string // its secret
	Target  string
}

// FinishAtProvider takes the answer that a browser brought back, and opens a session.
func (s *Service) FinishAtProvider(
	ctx context.Context, browser, state, code, address string,
) (back Returned, err error) {
	if s.Provider == nil {
		return back, errNoProvider
	}
	refused := func(name string, err error) (Returned, error) {
		return Returned{}, s.Strangers.Refused(ctx, "session.opened", address, name, err)
	}
	var a store.ProviderAttempt
	err = s.Do(ctx, uow.Upkeep(), func(tx Records, _ *uow.Work) error {
		a, err = tx.TakeProviderAttempt(auth.HashSecret(state))
		return err
	})
	if errors.Is(err, store.ErrNotFound) || err == nil && (s.Now().Sub(a.CreatedAt) > attemptLife ||
		subtle.ConstantTimeCompare(a.Browser, auth.HashSecret(browser)) != 1) {
		return refused("", errAttempt)
	}
	if err != nil {
		return back, err
	}
	person, err := s.Provider.Exchange(ctx, code,
		oidc.Attempt{State: state, Nonce: a.Nonce, Verifier: a.Verifier, Fresh: a.Fresh})
	if err != nil {
		s.Log.Warn("a sign-in with the identity provider was refused", "error", err)
		return refused("", refusal.New(refusal.Unauthorised,
			"the identity provider's answer was not believed; sign in again, and ask an owner to look into the log "+
				"of the service if it happens again"))
	}
	now := s.Now()
	if a.Fresh && now.Sub(person.SignedInAt).Abs() > freshWithin {
		return refused(person.Name, refusal.New(refusal.Unauthorised,
			"the identity provider did not ask for your password again"))
	}
	back = Returned{auth.NewSecret(), a.Target}
	who := rights.Identity{Name: person.Name, Address: address, Grants: s.Provider.Grants(person.Groups),
		FreshAt: person.SignedInAt,
		Factor:  true}
	if len(who.Grants) == 0 {
		return refused(person.Name, refusal.New(refusal.Forbidden,
			"%s is in no group that may use this; ask whoever keeps the groups of the identity provider", person.Name))
	}
	act := uow.ByOperator(operation.FinishAtProvider, who, person.Name).As("session.opened")
	err = s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		o, err := s.fromProvider(tx, w, person, who.Grants)
		if err != nil {
			return err
		}
		who.OperatorID, who.Name, who.Epoch = o.ID, o.Name, o.Epoch
		w.SetWho(who)
		w.SetObject(o.Name)
		if err := tx.Confirm(o.ID, now); err != nil {
			return err
		}
		if len(a.Session) > 0 { // the browser has forgotten it
			if err := tx.EndSession(a.Session); err != nil {
				return err
			}
		}
		return tx.AddSession(store.Session{Hash: auth.HashSecret(back.Session), OperatorID: o.ID, Address: address,
			CreatedAt: now,
			ExpiresAt: now.Add(min(SessionLength, confirmedFor)), FreshAt: person.SignedInAt, Factor: true,
			Epoch: o.Epoch})
	})
	var said *refusal.Error
	if errors.As(err, &said) {
		return refused(person.Name, err)
	}
	return back, err
}

// fromProvider is the operator that a person of the provider is, made at the first sign-in; the roles are those that
// the provider's groups give now.
func (s *Service) fromProvider(
	tx Records, w *uow.Work, p oidc.Person, grants []rights.Grant,
) (o store.Operator, err error) {
	grants = normalGrants(grants)
	if err := checkGrants(tx, grants); err != nil {
		return o, err
	}
	o, err = tx.OperatorByIdentity(p.Issuer, p.Subject)
	switch {
	case errors.Is(err, store.ErrNotFound):
		if err := checkOperatorName(p.Name); err != nil {
			return o, err
		}
		o = store.Operator{ID: store.NewID(s.Now()), Name: p.Name, Grants: grants, CreatedAt: s.Now(), Issuer: p.Issuer,
			Subject: p.Subject, Epoch: 1}
		if err := tx.AddOperator(o); err != nil {
			return o, refusal.Named(err, "operator", p.Name)
		}
		w.Also(uow.ByService("operator.added", o.Name), "done", nil, operatorState(o))
		return o, nil
	case err != nil:
		return o, err
	case o.DisabledAt != nil:
		return o, refusal.New(refusal.Forbidden, "%s may not sign in here any more", o.Name)
	case rights.RoleNames(o.Grants) == rights.RoleNames(grants):
		return o, nil
	}
	before := operatorState(o)
	o.Grants = grants
	w.Also(uow.ByService("operator.changed", o.Name), "done", before, operatorState(o))
	o.Epoch++ // as it is stored
	return o, tx.SetOperator(o, s.Now())
}
