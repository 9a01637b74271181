package passwords

import (
	"context"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// BeginEpoch begins a new epoch of the service, after its database came back from a backup: every
// device is told again, under numbers that were never used, and gives again what the database lacks.
func (s *Service) BeginEpoch(ctx context.Context) (epoch int64, err error) {
	return s.beginEpoch(ctx, store.ReturnSaid, 0, func(store.ServiceState) bool { return true })
}

// DatabaseReturned begins a new epoch because the database is another one or went back, unless another replica has
// begun one since the database said the epoch that was seen. It is later than the latest that anybody saw. Without a
// reason it only notes which database this is.
func (s *Service) DatabaseReturned(ctx context.Context, why string, seen, latest int64) error {
	_, err := s.beginEpoch(ctx, why, latest, func(state store.ServiceState) bool {
		return why != "" && state.Epoch == seen
	})
	return err
}

// beginEpoch notes which database this is, and begins a new epoch where it should.
func (s *Service) beginEpoch(
	ctx context.Context, why string, latest int64, should func(state store.ServiceState) bool,
) (epoch int64, err error) {
	var list *knownKeyList
	act := uow.ByService(store.ServiceRestored, "service").Because(why)
	err = s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		state, err := tx.LockServiceState(s.Organisation)
		if err != nil {
			return err
		}
		here, err := tx.ThisDatabase()
		if err != nil {
			return err
		}
		begins := should(state)
		state.SystemIdentifier, state.Timeline = here.System, here.Timeline
		if begins {
			state.Epoch = max(state.Epoch, latest) + 1
			// A device may hold a higher number of the list than this older database knows.
			state.KeyListNumber = state.Epoch << 32
		} else {
			w.Quiet()
		}
		epoch = state.Epoch
		if err := tx.SetServiceState(state); err != nil {
			return err
		}
		if begins {
			if err := tx.AddDatabaseReturn(store.DatabaseReturn{Epoch: epoch, At: s.Now(), Why: why}); err != nil {
				return err
			}
			// Each device comes into the epoch as it is settled: a device whose record is locked holds up no other.
			w.Settle("the database went back: "+why, []string{rights.Everything}, nil)
			w.After = map[string]any{"epoch": epoch, "system": here.System, "timeline": here.Timeline}
			w.Tell(store.TopicDevices)
			w.Tell(store.TopicDatabase)
		}
		list, err = s.list(tx, w)
		return err
	})
	return epoch, s.know(list, err)
}
