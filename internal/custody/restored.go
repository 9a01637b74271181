package custody

import (
	"context"

	"rankwarden.example/internal/uow"
)

// BeginEpoch begins a new epoch of the service, after its database came back from a backup: every
// device is told anew, under numbers that were never used, and gives again what the database lacks.
func (s *Service) BeginEpoch(ctx context.Context) (epoch int64, err error) {
	var list *knownKeyList
	err = s.Do(
		ctx,
		uow.Act{Who: uow.Itself, Action: "service.restored", Object: "service"},
		func(tx Records, w *uow.Work) error {
			state, err := tx.LockServiceState(s.Organisation)
			if err != nil {
				return err
			}
			state.Epoch++
			// A device may hold a higher number of the list than this older database knows.
			state.KeyListNumber = state.Epoch << 32
			epoch = state.Epoch
			if err := tx.SetServiceState(state); err != nil {
				return err
			}
			if err := tx.DevicesIntoEpoch(state.Epoch); err != nil {
				return err
			}
			w.Settle("the service came back from a backup", []string{"everything"}, nil)
			w.After = map[string]any{"epoch": state.Epoch}
			list, err = s.list(tx, w)
			return err
		},
	)
	return epoch, s.know(list, err)
}
