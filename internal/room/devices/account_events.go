package devices

import (
	"rankwarden.example/core/drift"
	"rankwarden.example/core/present"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/store"
)

// tellsOfAccount reports whether an event says that a policy made, took over, disabled or removed an account, or soon
// will.
func tellsOfAccount(e drift.Event) bool {
	switch e.Kind {
	case drift.AccountCreated, drift.AccountAdopted, drift.AccountRemoved, drift.AccountCounts:
		return true
	case drift.AccountDisabled:
		return e.Unit == unit.Others
	}
	return false
}

// tellAccounts has those told who want to know what policies do to accounts.
func (s *Service) tellAccounts(tx Records, device string, events []drift.Event) error {
	name, asked := "", false
	for _, e := range events {
		if !tellsOfAccount(e) {
			continue
		}
		if !asked {
			wanted, err := tx.Notifies(store.AccountsAltered)
			if err != nil || !wanted {
				return err
			}
			d, err := tx.Device(s.Clock(), device, "")
			if err != nil {
				return err
			}
			name, asked = d.Name, true
		}
		n := store.Notification{Kind: store.AccountsAltered, At: earlier(e.At, s.Now()),
			Words: name + ": " + present.Event(e)}
		if err := s.tell(tx, device, name, n, map[string]any{"event": e.Kind, "setting": e.Unit.String(),
			"account": e.Subject}); err != nil {
			return err
		}
	}
	return nil
}
