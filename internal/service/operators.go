package service

import (
	"context"
	"regexp"
	"slices"
	"time"

	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/store"
)

var operatorName = regexp.MustCompile(`^[a-z0-9][a-z0-9._@-]{0,62}$`)

// EnsureOwner makes the first owner when there is no operator at all; made is false otherwise.
func (s *Service) EnsureOwner(ctx context.Context, name, password string) (made bool, err error) {
	n, err := s.Store.With(ctx).CountOperators()
	if err != nil || n > 0 {
		return false, err
	}
	_, err = s.AddOperator(ctx, itself, name, password, []auth.Grant{{Role: auth.Owner}})
	return err == nil, err
}

// AddOperator adds an operator of our own.
func (s *Service) AddOperator(ctx context.Context, who auth.Identity, name, password string, grants []auth.Grant) (store.Operator, error) {
	if err := s.allow(ctx, who, auth.Administer, "operator.added", name); err != nil {
		return store.Operator{}, err
	}
	if !operatorName.MatchString(name) {
		return store.Operator{}, failf(Invalid, "%q cannot be an operator's name; use 1 to 63 of a-z, 0-9 and . _ @ -", name).at("name")
	}
	hash, err := auth.HashPassword(password)
	if err != nil {
		return store.Operator{}, failf(Invalid, "%v", err).at("password")
	}
	o := store.Operator{ID: store.NewID(s.Now()), Name: name, Grants: grants, PasswordHash: hash, CreatedAt: s.Now()}
	err = s.InTx(ctx, func(tx store.Tx) error {
		if err := s.checkGrants(tx, grants); err != nil {
			return err
		}
		if err := tx.AddOperator(o); err != nil {
			return named(err, "operator", name)
		}
		return s.audit(tx, who, record{action: "operator.added", object: name, after: operatorState(o)})
	})
	return o, named(err, "operator", name)
}

// checkGrants refuses roles that do not exist, and reach over groups that a device could talk itself
// into.
func (s *Service) checkGrants(tx store.Tx, grants []auth.Grant) error {
	if len(grants) == 0 {
		return failf(Invalid, "an operator needs a role at least; the roles are viewer, support, author, deployer, auditor and owner").at("roles")
	}
	for i, g := range grants {
		if !g.Role.Valid() {
			return failf(Invalid, "%q is no role; the roles are viewer, support, author, deployer, auditor and owner", g.Role).at("roles")
		}
		if slices.ContainsFunc(grants[:i], func(other auth.Grant) bool { return other.Role == g.Role }) {
			return failf(Invalid, "the role %s stands there twice; give it once, with all its groups", g.Role).at("roles")
		}
		if err := s.groupsExist(tx, "roles", g.Groups); err != nil {
			return err
		}
		if err := notByDevice(tx, g.Groups, reached); err != nil {
			return err
		}
	}
	return nil
}

// OperatorChange is what may be changed of an operator; nil leaves a thing as it is.
type OperatorChange struct {
	Grants   []auth.Grant // nil leaves them
	Password *string
	Disabled *bool
}

// ChangeOperator changes an operator and ends the operator's sessions.
func (s *Service) ChangeOperator(ctx context.Context, who auth.Identity, name string, c OperatorChange) (store.Operator, error) {
	if err := s.allow(ctx, who, auth.Administer, "operator.changed", name); err != nil {
		return store.Operator{}, err
	}
	var o store.Operator
	err := s.InTx(ctx, func(tx store.Tx) (err error) {
		if o, err = tx.OperatorByName(name); err != nil {
			return err
		}
		before := operatorState(o)
		if o.ID == who.OperatorID && (c.Disabled != nil && *c.Disabled || c.Grants != nil && !auth.Identity{Grants: c.Grants}.Has(auth.Owner)) {
			return failf(Invalid, "you cannot take the owner's rights from yourself; ask another owner")
		}
		if c.Grants != nil {
			if err := s.checkGrants(tx, c.Grants); err != nil {
				return err
			}
			o.Grants = c.Grants
		}
		if c.Password != nil {
			if o.PasswordHash, err = auth.HashPassword(*c.Password); err != nil {
				return failf(Invalid, "%v", err).at("password")
			}
		}
		if c.Disabled != nil {
			o.DisabledAt = nil
			if *c.Disabled {
				o.DisabledAt = new(s.Now())
			}
		}
		if err := tx.SetOperator(o, s.Now()); err != nil {
			return err
		}
		after := operatorState(o)
		after["new_password"] = c.Password != nil
		return s.audit(tx, who, record{action: "operator.changed", object: name, before: before, after: after})
	})
	return o, named(err, "operator", name)
}

func operatorState(o store.Operator) map[string]any {
	return map[string]any{"roles": auth.RoleNames(o.Grants), "disabled": o.DisabledAt != nil}
}

// Operators lists a page.
func (s *Service) Operators(ctx context.Context, p store.Page) ([]store.Operator, string, error) {
	return s.Store.With(ctx).ListOperators(p)
}

// MaxTokenLife is the longest life of an API token.
const MaxTokenLife = 366 * 24 * time.Hour

// NewAPIToken makes a token with the rights of its maker or fewer; its secret is shown this once.
func (s *Service) NewAPIToken(ctx context.Context, who auth.Identity, name string, role auth.Role, life time.Duration) (store.APIToken, string, error) {
	switch {
	case name == "" || len(name) > 100:
		return store.APIToken{}, "", failf(Invalid, "a token needs a name of 1 to 100 characters that says what it is for").at("name")
	case role != "" && !role.Valid() || len(auth.Within(who.Grants, role)) == 0:
		return store.APIToken{}, "", failf(Invalid, "the role %q is none, or more than your own (%s)", role, auth.RoleNames(who.Grants)).at("role")
	case life < time.Minute || life > MaxTokenLife:
		return store.APIToken{}, "", failf(Invalid, "a token lives from a minute to 366 days").at("expires_in_hours")
	}
	secret := auth.TokenPrefix + auth.NewSecret()
	fresh := who.FreshAt // a token made right after signing in is as fresh as that
	now := s.Now()
	a := store.APIToken{ID: store.NewID(now), OperatorID: who.OperatorID, Name: name, Role: string(role),
		Hash: auth.HashSecret(secret), CreatedAt: now, ExpiresAt: now.Add(life), FreshAt: &fresh}
	err := s.InTx(ctx, func(tx store.Tx) error {
		if err := tx.AddAPIToken(a); err != nil {
			return err
		}
		return s.audit(tx, who, record{action: "token.made", object: a.ID, after: map[string]any{"name": name, "role": role, "expires": a.ExpiresAt}})
	})
	return a, secret, err
}

// APITokens lists a page of one's own tokens.
func (s *Service) APITokens(ctx context.Context, who auth.Identity, p store.Page) ([]store.APIToken, string, error) {
	return s.Store.With(ctx).ListAPITokens(who.OperatorID, p)
}

// RevokeAPIToken ends one of one's own tokens.
func (s *Service) RevokeAPIToken(ctx context.Context, who auth.Identity, id string) error {
	return named(s.InTx(ctx, func(tx store.Tx) error {
		if err := tx.RevokeAPIToken(who.OperatorID, id, s.Now()); err != nil {
			return err
		}
		return s.audit(tx, who, record{action: "token.revoked", object: id})
	}), "token", id)
}
