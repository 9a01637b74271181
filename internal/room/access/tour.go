package access

import (
	"context"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/uow"
)

// Tour is how far somebody has come with the tour of the console: empty before it, the number of a stop, or left.
func (s *Service) Tour(ctx context.Context, who rights.Identity) (string, error) {
	o, err := s.Read(ctx).Operator(who.OperatorID)
	return o.Tour, err
}

// SetTour keeps how far somebody has come, for every browser that they use.
func (s *Service) SetTour(ctx context.Context, who rights.Identity, at string) error {
	return s.Do(ctx, uow.ByOperator(operation.SetTour, who, who.Name), func(tx Records, w *uow.Work) error {
		w.Quiet() // nothing that anybody answers for
		return tx.SetTour(who.OperatorID, at)
	})
}
