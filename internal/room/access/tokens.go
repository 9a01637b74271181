package access

import (
	"context"
	"time"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/auth"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// MaxTokenLife is the longest life of an API token.
const MaxTokenLife = 366 * 24 * time.Hour

// NewAPIToken makes a token with the rights of its maker or fewer; its secret is shown this once.
func (s *Service) NewAPIToken(
	ctx context.Context, who rights.Identity, name string, role rights.Role, life time.Duration,
) (store.APIToken, string, error) {
	switch {
	case name == "" || len(name) > 100:
		return store.APIToken{}, "", refusal.New(refusal.Invalid,
			"a token needs a name of 1 to 100 characters that says what it is for").
			At("name")
	case role != "" && !role.Valid() || len(rights.Narrowed(who.Grants, role)) == 0:
		return store.APIToken{}, "", refusal.New(refusal.Invalid, "the role %q is none, or more than your own (%s)",
			role, rights.RoleNames(who.Grants)).
			At("role")
	case life < time.Minute || life > MaxTokenLife:
		return store.APIToken{}, "", refusal.New(refusal.Invalid, "a token lives from a minute to 366 days").
			At("expires_in_hours")
	}
	given := rights.Narrowed(who.Grants, role)
	secret := auth.TokenPrefix + auth.NewSecret()
	fresh := who.FreshAt // a token made right after signing in is as fresh as that
	now := s.Now()
	a := store.APIToken{
		ID:         store.NewID(now),
		OperatorID: who.OperatorID,
		Name:       name,
		Operator:   who.Name,
		Role:       string(role),
		Grants:     given,
		Hash:       auth.HashSecret(secret),
		CreatedAt:  now,
		ExpiresAt:  now.Add(life),
		FreshAt:    &fresh,
		Epoch:      who.Epoch,
	}
	err := s.Do(ctx, uow.ByOperator(operation.CreateToken, who, a.ID), func(tx Records, w *uow.Work) error {
		if err := tx.AddAPIToken(a); err != nil {
			return err
		}
		w.After = map[string]any{"name": name, "roles": rights.RoleNames(given), "expires": a.ExpiresAt}
		return nil
	})
	return a, secret, err
}

// APITokens lists a page of tokens: one's own, or with all, which is for owners, everybody's.
func (s *Service) APITokens(
	ctx context.Context, who rights.Identity, all bool, p store.Page,
) ([]store.APIToken, string, error) {
	operator := who.OperatorID
	if all {
		if !who.May(rights.Administer) {
			return nil, "", s.Refuse(ctx, uow.ByOperator(operation.ListTokens, who, "tokens"), uow.Lacking(who))
		}
		operator = ""
	}
	return s.Read(ctx).ListAPITokens(operator, p)
}

// RevokeAPIToken ends one of one's own tokens; an owner ends anybody's.
func (s *Service) RevokeAPIToken(ctx context.Context, who rights.Identity, id string) error {
	operator := who.OperatorID
	if who.May(rights.Administer) {
		operator = ""
	}
	return refusal.Named(
		s.Do(ctx, uow.ByOperator(operation.RevokeToken, who, id), func(tx Records, w *uow.Work) error {
			if err := tx.RevokeAPIToken(operator, id, s.Now()); err != nil {
				return err
			}
			return nil
		}),
		"token",
		id,
	)
}
