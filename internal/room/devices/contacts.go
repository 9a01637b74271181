package devices

import (
	"context"

	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// WriteContacts stores when devices were last heard from, and gives those that something else holds now.
func (s *Service) WriteContacts(ctx context.Context, contacts []store.Contact) (skipped []store.Contact, err error) {
	err = s.DoStatement(ctx, uow.Upkeep(), func(tx Records) error {
		skipped, err = tx.WriteContacts(contacts)
		return err
	})
	return skipped, err
}
