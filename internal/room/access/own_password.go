package access

import (
	"context"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/auth"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
)

// OwnPassword is what somebody gives to change their own: the one that they have, a code where they have a second
// factor, and the new one.
type OwnPassword struct{ Now, Code, New string }

// ChangeOwnPassword gives whoever is signed in another password. It takes the present one and, unless the session was
// opened with a second factor within the last minutes, a code; it ends every other session and every token, since one
// of them may be the reason.
func (s *Service) ChangeOwnPassword(ctx context.Context, who rights.Identity, session string, p OwnPassword) error {
	switch {
	case who.AtProvider:
		return refusal.New(refusal.Conflict, "the identity provider has your password; change it there")
	case who.Sealed:
		return refusal.New(refusal.Conflict, "the password of a sealed owner is made on the service's machine: "+
			"rankwardend owner seal")
	case p.New == p.Now:
		return refusal.New(refusal.Invalid, "the new password is the one that you have; choose another one").
			At("new_password")
	}
	hash, err := s.hash(ctx, "new_password", p.New)
	if err != nil {
		return err
	}
	known := given{name: who.Name, password: p.Now, code: p.Code, proven: who.Factor && who.Fresh(s.Now())}
	_, err = s.checkPassword(ctx, known, who.Address, operation.ChangeOwnPassword,
		func(tx Records, w *uow.Work) error {
			if w.Who().OperatorID != who.OperatorID {
				return ErrSignIn
			}
			w.SetWho(who)
			w.After = map[string]any{"new_password": true}
			o, err := tx.LockOperator(who.OperatorID)
			if err != nil {
				return err
			}
			o.PasswordHash, o.FirstPassword = hash, false
			return tx.SetOwnPassword(o, auth.HashSecret(session), s.Now())
		})
	return err
}
