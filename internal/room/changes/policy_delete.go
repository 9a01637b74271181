package changes

import (
	"context"
	"slices"
	"strings"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/planning"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// mostUses is how many uses of a policy a refusal names.
const mostUses = 5

// openStates are those in which a change may still alter something.
var openStates = slices.DeleteFunc(slices.Clone(store.ChangeStates),
	func(c store.ChangeState) bool { return !c.IsOpen() })

// DeletePolicy deletes the version of a policy that somebody read, with its revisions. It alters nothing on any device:
// one that something uses is refused, with what that is. What the trail and finished changes say of it stays.
func (s *Service) DeletePolicy(ctx context.Context, who rights.Identity, name string, over int64) error {
	err := s.Do(ctx, uow.ByOperator(operation.DeletePolicy, who, name), func(tx Records, w *uow.Work) error {
		p, err := tx.Policy(name)
		if err != nil {
			return err
		}
		if p.Version != over {
			return store.ErrStale
		}
		uses, err := tx.PolicyUses(p, openStates, mostUses)
		if err != nil {
			return err
		}
		if len(uses) > 0 {
			return refusal.New(refusal.Conflict, "the policy %q is in use by %s; remove that first", name,
				strings.Join(uses, ", ")).WithCode("policy_in_use")
		}
		if err := planning.NotTouched(tx, "", "policy "+name); err != nil {
			return err
		}
		w.Tell(store.TopicEdits, name)
		w.Before = map[string]any{"version": p.Version, "revision": p.Revision, "document": p.Source}
		return tx.RemovePolicy(p)
	})
	return refusal.Named(err, "policy", name)
}
