package access

import (
	"context"
	"errors"
	"regexp"
	"slices"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
)

var operatorName = regexp.MustCompile(`^[a-z0-9][a-z0-9._@-]{0,62}$`)

// EnsureOwner makes the first owner when there is no operator at all; made is false otherwise.
func (s *Service) EnsureOwner(ctx context.Context, name, password string) (made bool, err error) {
	n, err := s.Read(ctx).CountOperators()
	if err != nil || n > 0 {
		return false, err
	}
	_, err = s.AddOperator(ctx, uow.Itself, name, password, []rights.Grant{{Role: rights.Owner}})
	return err == nil, err
}

// HasOperators reports whether there is any operator.
func (s *Service) HasOperators(ctx context.Context) (bool, error) {
	n, err := s.Read(ctx).CountOperators()
	return n > 0, err
}

// ResetOwner gives an operator a new password and the owner's role, and lets the operator sign in again;
// one that does not exist is added. It is for who works on the machine of the service.
func (s *Service) ResetOwner(ctx context.Context, who rights.Identity, name, password string) error {
	db := s.Read(ctx)
	o, err := db.OperatorByName(name)
	if errors.Is(err, store.ErrNotFound) {
		_, err = s.AddOperator(ctx, who, name, password, []rights.Grant{{Role: rights.Owner}})
		return err
	}
	if err != nil {
		return err
	}
	grants := o.Grants
	if !(rights.Identity{Grants: grants}).Has(rights.Owner) {
		grants = append(slices.Clone(grants), rights.Grant{Role: rights.Owner, Groups: []string{}})
	}
	_, err = s.ChangeOperator(ctx, who, name, OperatorChange{Grants: grants, Password: &password, Disabled: new(false),
		ResetFactor: true})
	return err
}

// SealOwner creates an owner for the day on which nobody else gets in, or gives a sealed one another password. It is
// for the local administration.
func (s *Service) SealOwner(ctx context.Context, who rights.Identity, name, password string) error {
	if err := s.ResetOwner(ctx, who, name, password); err != nil {
		return err
	}
	return s.Do(ctx, uow.ByOperator(operation.SealOwner, who, name), func(tx Records, _ *uow.Work) error {
		o, err := tx.OperatorByName(name)
		if err != nil {
			return err
		}
		return tx.Seal(o.ID, s.Now())
	})
}

// AddOperator adds an operator of our own. A password that another operator gave is the first one, and is changed
// before anything else.
func (s *Service) AddOperator(
	ctx context.Context, who rights.Identity, name, password string, grants []rights.Grant,
) (store.Operator, error) {
	if err := checkOperatorName(name); err != nil {
		return store.Operator{}, err
	}
	hash, err := s.hash(ctx, "password", password)
	if err != nil {
		return store.Operator{}, err
	}
	grants = normalGrants(grants)
	o := store.Operator{ID: store.NewID(s.Now()), Name: name, Grants: grants, PasswordHash: hash, CreatedAt: s.Now(),
		FirstPassword: who.OperatorID != ""}
	err = s.Do(ctx, uow.ByOperator(operation.CreateOperator, who, name), func(tx Records, w *uow.Work) error {
		if err := checkGrants(tx, grants); err != nil {
			return err
		}
		if err := tx.AddOperator(o); err != nil {
			return refusal.Named(err, "operator", name)
		}
		w.After = operatorState(o)
		return nil
	})
	return o, refusal.Named(err, "operator", name)
}

// checkOperatorName refuses what cannot be an operator's name.
func checkOperatorName(name string) error {
	if !operatorName.MatchString(name) {
		return refusal.New(refusal.Invalid, "%q cannot be an operator's name; use 1 to 63 of a-z, 0-9 and . _ @ -",
			name).
			At("name")
	}
	if name == audit.Service || name == audit.Strangers {
		return refusal.New(refusal.Invalid, "%q has a meaning of its own on the trail; choose another name", name).
			At("name")
	}
	return nil
}

// checkGrants refuses roles that do not exist, and reach over groups that a device could talk itself
// into.
func checkGrants(tx Records, grants []rights.Grant) error {
	if len(grants) == 0 {
		return refusal.New(refusal.Invalid, "an operator needs a role at least; the roles are viewer, requester, "+
			"support, author, deployer, auditor and owner").
			At("roles")
	}
	for i, g := range grants {
		if !g.Role.Valid() {
			return refusal.New(refusal.Invalid,
				"%q is no role; the roles are viewer, requester, "+
					"support, author, deployer, auditor and owner", g.Role).
				At("roles")
		}
		if slices.ContainsFunc(grants[:i], func(other rights.Grant) bool { return other.Role == g.Role }) {
			return refusal.New(refusal.Invalid, "the role %s stands there twice; give it once, with all its groups",
				g.Role).
				At("roles")
		}
		if g.Role.AlwaysEverywhere() && !g.Everywhere() {
			return refusal.New(refusal.Invalid, "the role %s always holds everywhere; leave its groups out", g.Role).
				At("roles")
		}
		if err := devicegroups.Exist(tx, "roles", g.Groups); err != nil {
			return err
		}
		if err := devicegroups.NotByDevice(tx, g.Groups, devicegroups.Reached); err != nil {
			return err
		}
	}
	return nil
}

// OperatorChange is what may be changed of an operator; nil leaves a thing as it is.
type OperatorChange struct {
	Grants   []rights.Grant // nil leaves them
	Password *string
	Disabled *bool
	// ResetFactor takes the second factor away.
	ResetFactor bool
}

// ChangeOperator changes an operator and ends the operator's sessions and tokens.
func (s *Service) ChangeOperator(
	ctx context.Context, who rights.Identity, name string, c OperatorChange,
) (store.Operator, error) {
	var o store.Operator
	hash := ""
	if c.Password != nil {
		var err error
		if hash, err = s.hash(ctx, "password", *c.Password); err != nil {
			return o, err
		}
	}
	c.Grants = normalGrants(c.Grants)
	err := s.Do(ctx, uow.ByOperator(operation.EditOperator, who, name), func(tx Records, w *uow.Work) (err error) {
		if o, err = tx.OperatorByName(name); err != nil {
			return err
		}
		if o, err = tx.LockOperator(o.ID); err != nil {
			return err
		}
		w.Before = operatorState(o)
		if o.ID == who.OperatorID &&
			(c.Disabled != nil && *c.Disabled || c.Grants != nil &&
				!rights.Identity{Grants: c.Grants}.Has(rights.Owner)) {
			return refusal.New(refusal.Invalid, "you cannot take the owner's rights from yourself; ask another owner")
		}
		if o.ID == who.OperatorID && c.Password != nil {
			return refusal.New(refusal.Invalid,
				"your own password is changed with the one that you have; use your sign-in page, or: "+
					"rankwarden operator password")
		}
		if o.Issuer != "" && (c.Grants != nil || c.Password != nil) {
			return refusal.New(refusal.Conflict,
				"%q signs in with the identity provider, which has the password, and whose groups give the roles", name)
		}
		if c.Grants != nil {
			if err := checkGrants(tx, c.Grants); err != nil {
				return err
			}
			o.Grants = c.Grants
		}
		if c.Password != nil {
			o.PasswordHash, o.FirstPassword = hash, who.OperatorID != ""
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
		if c.ResetFactor {
			if err := errors.Join(tx.DropSecondFactor(o.ID), tx.DropPasskeys(o.ID)); err != nil {
				return err
			}
		}
		if n, err := tx.OwnersLeft(); err != nil {
			return err
		} else if n == 0 {
			return refusal.New(refusal.Conflict, "%q is the last owner who may sign in; create another one first", name)
		}
		after := operatorState(o)
		after["new_password"] = c.Password != nil
		if c.ResetFactor {
			after["second_factor"] = "reset"
		}
		w.After = after
		return nil
	})
	return o, refusal.Named(err, "operator", name)
}

// normalGrants writes reach over everything as none.
func normalGrants(grants []rights.Grant) []rights.Grant {
	normal := slices.Clone(grants)
	for i, g := range normal {
		normal[i].Groups = text.Set(g.Groups)
		if g.Everywhere() {
			normal[i].Groups = []string{}
		}
	}
	return normal
}

func operatorState(o store.Operator) map[string]any {
	return map[string]any{"roles": rights.RoleNames(o.Grants), "disabled": o.DisabledAt != nil}
}

// Operators lists a page.
func (s *Service) Operators(ctx context.Context, p store.Page) ([]store.Operator, string, error) {
	return s.Read(ctx).ListOperators(p)
}
