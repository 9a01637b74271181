package service

import (
	"context"
	"errors"
	"regexp"
	"slices"
	"time"

	"rankwarden.example/internal/audit"
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

// HasOperators reports whether there is any operator.
func (s *Service) HasOperators(ctx context.Context) (bool, error) {
	n, err := s.Store.With(ctx).CountOperators()
	return n > 0, err
}

// ResetOwner gives an operator a new password and the owner's role, and lets the operator sign in again;
// one that does not exist is added. It is for who works on the machine of the service.
func (s *Service) ResetOwner(ctx context.Context, who auth.Identity, name, password string) error {
	db := s.Store.With(ctx)
	o, err := db.OperatorByName(name)
	if errors.Is(err, store.ErrNotFound) {
		_, err = s.AddOperator(ctx, who, name, password, []auth.Grant{{Role: auth.Owner}})
		return err
	}
	if err != nil {
		return err
	}
	grants := o.Grants
	if !(auth.Identity{Grants: grants}).Has(auth.Owner) {
		grants = append(slices.Clone(grants), auth.Grant{Role: auth.Owner, Groups: []string{}})
	}
	_, err = s.ChangeOperator(ctx, who, name, OperatorChange{Grants: grants, Password: &password, Disabled: new(false)})
	return err
}

// AddOperator adds an operator of our own.
func (s *Service) AddOperator(ctx context.Context, who auth.Identity, name, password string, grants []auth.Grant) (store.Operator, error) {
	if !operatorName.MatchString(name) {
		return store.Operator{}, failf(Invalid, "%q cannot be an operator's name; use 1 to 63 of a-z, 0-9 and . _ @ -", name).at("name")
	}
	if name == audit.Service || name == audit.Strangers {
		return store.Operator{}, failf(Invalid, "%q has a meaning of its own on the trail; choose another name", name).at("name")
	}
	hash, err := s.hash(ctx, password)
	if err != nil {
		return store.Operator{}, err
	}
	grants = normalGrants(grants)
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
		if (g.Role == auth.Owner || g.Role == auth.Auditor) && !g.Everywhere() {
			return failf(Invalid, "the role %s always holds everywhere; leave its groups out", g.Role).at("roles")
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

// ChangeOperator changes an operator and ends the operator's sessions and tokens.
func (s *Service) ChangeOperator(ctx context.Context, who auth.Identity, name string, c OperatorChange) (store.Operator, error) {
	var o store.Operator
	hash := ""
	if c.Password != nil {
		var err error
		if hash, err = s.hash(ctx, *c.Password); err != nil {
			return o, err
		}
	}
	c.Grants = normalGrants(c.Grants)
	err := s.InTx(ctx, func(tx store.Tx) (err error) {
		if o, err = tx.OperatorByName(name); err != nil {
			return err
		}
		if o, err = tx.LockOperator(o.ID); err != nil {
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
			o.PasswordHash = hash
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
		if n, err := tx.OwnersLeft(); err != nil {
			return err
		} else if n == 0 {
			return failf(Conflict, "%q is the last owner who may sign in; make another one first", name)
		}
		after := operatorState(o)
		after["new_password"] = c.Password != nil
		return s.audit(tx, who, record{action: "operator.changed", object: name, before: before, after: after})
	})
	return o, named(err, "operator", name)
}

// normalGrants writes reach over everything as none.
func normalGrants(grants []auth.Grant) []auth.Grant {
	normal := slices.Clone(grants)
	for i, g := range normal {
		normal[i].Groups = sortedSet(g.Groups)
		if g.Everywhere() {
			normal[i].Groups = []string{}
		}
	}
	return normal
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
	case role != "" && !role.Valid() || len(auth.Narrowed(who.Grants, role)) == 0:
		return store.APIToken{}, "", failf(Invalid, "the role %q is none, or more than your own (%s)", role, auth.RoleNames(who.Grants)).at("role")
	case life < time.Minute || life > MaxTokenLife:
		return store.APIToken{}, "", failf(Invalid, "a token lives from a minute to 366 days").at("expires_in_hours")
	}
	given := auth.Narrowed(who.Grants, role)
	secret := auth.TokenPrefix + auth.NewSecret()
	fresh := who.FreshAt // a token made right after signing in is as fresh as that
	now := s.Now()
	a := store.APIToken{ID: store.NewID(now), OperatorID: who.OperatorID, Name: name, Operator: who.Name, Role: string(role), Grants: given,
		Hash: auth.HashSecret(secret), CreatedAt: now, ExpiresAt: now.Add(life), FreshAt: &fresh}
	err := s.InTx(ctx, func(tx store.Tx) error {
		if err := tx.AddAPIToken(a); err != nil {
			return err
		}
		return s.audit(tx, who, record{action: "token.made", object: a.ID, after: map[string]any{"name": name, "roles": auth.RoleNames(given), "expires": a.ExpiresAt}})
	})
	return a, secret, err
}

// APITokens lists a page of tokens: one's own, or with all, which is for owners, everybody's.
func (s *Service) APITokens(ctx context.Context, who auth.Identity, all bool, p store.Page) ([]store.APIToken, string, error) {
	operator := who.OperatorID
	if all {
		if !who.May(auth.Administer) {
			return nil, "", s.Refuse(ctx, who, "token.listed", "tokens")
		}
		operator = ""
	}
	return s.Store.With(ctx).ListAPITokens(operator, p)
}

// RevokeAPIToken ends one of one's own tokens; an owner ends anybody's.
func (s *Service) RevokeAPIToken(ctx context.Context, who auth.Identity, id string) error {
	operator := who.OperatorID
	if who.May(auth.Administer) {
		operator = ""
	}
	return named(s.InTx(ctx, func(tx store.Tx) error {
		if err := tx.RevokeAPIToken(operator, id, s.Now()); err != nil {
			return err
		}
		return s.audit(tx, who, record{action: "token.revoked", object: id})
	}), "token", id)
}
