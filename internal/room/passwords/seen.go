package passwords

import (
	"context"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/store"
)

// mostSeen is how many passwords are told that an operator saw.
const mostSeen = 500

// SeenBy are the passwords in reach that an operator saw and that are the right ones still.
func (s *Service) SeenBy(ctx context.Context, who rights.Identity, operator string) ([]store.SeenPassword, error) {
	return s.Read(ctx).SeenAndValid(who.Reach(rights.Look), operator, mostSeen)
}
