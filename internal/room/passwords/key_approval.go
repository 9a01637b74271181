package passwords

import (
	"context"
	"fmt"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

// become makes a key live or retired, only once a second person approves where the settings say so or where there is a
// second owner who could: whoever enters and proves a recovery key alone can read every password from then on. The
// local administration has the keys of the service already, and asks nobody. The list is the new key list, nil where
// there is none.
func (s *Service) become(tx Records, w *uow.Work, key store.EscrowKey, state string) (*knownKeyList, error) {
	w.Tell(store.TopicEdits)
	second, err := s.needsSecond(tx, w)
	if err != nil {
		return nil, err
	}
	if second {
		key.Asked, key.AskedBy, key.AskedAt = state, w.Who().Name, new(s.Now())
		w.After = map[string]any{"use": key.Use, "waits_for_a_second_person": true}
		return s.listed.Load(), tx.SetEscrowKey(key)
	}
	return s.makeSo(tx, w, key, state)
}

func (s *Service) needsSecond(tx Records, w *uow.Work) (bool, error) {
	operator := w.Who().OperatorID
	switch {
	case operator == "":
		return false, nil
	case s.SecondPersonKeys:
		return true, nil
	}
	others, err := tx.OtherOwners(operator)
	return others > 0, err
}

// makeSo makes a key live or retired.
func (s *Service) makeSo(tx Records, w *uow.Work, key store.EscrowKey, state string) (*knownKeyList, error) {
	if state == store.KeyLive && key.Use == protocol.UseEscrow && !s.escrowKeys().Holds(key.Number) {
		if err := s.readEscrow(); err != nil {
			return nil, err
		}
		if !s.escrowKeys().Holds(key.Number) {
			return nil, refusal.New(refusal.Conflict,
				"the service does not have the private half of escrow key %d, so nobody could view what is sealed to "+
					"it; add it to the file named by escrow-keys first, on every replica", key.Number)
		}
	}
	key.State, key.Asked, key.AskedBy, key.AskedAt = state, "", "", nil
	if state == store.KeyRetired {
		key.RetiredAt = new(s.Now())
	}
	if err := tx.SetEscrowKey(key); err != nil {
		return nil, err
	}
	return s.list(tx, w)
}

// DecideKey approves what waits for a second person of a key, or declines it. Nobody decides what they asked for.
func (s *Service) DecideKey(ctx context.Context, who rights.Identity, number int64, approve bool) error {
	var list *knownKeyList
	action := map[bool]string{true: "keys.approved", false: "keys.declined"}[approve]
	err := s.Do(ctx, uow.ByOperator(operation.DecideEscrowKey, who, fmt.Sprint(number)).As(action),
		func(tx Records, w *uow.Work) error {
			if _, err := tx.LockServiceState(s.Organisation); err != nil {
				return err
			}
			key, err := tx.EscrowKey(number)
			if err != nil {
				return err
			}
			w.Tell(store.TopicEdits)
			w.After = map[string]any{"asked": key.Asked, "asked_by": key.AskedBy}
			switch {
			case key.Asked == "":
				return refusal.New(refusal.Conflict, "nothing of escrow key %d waits for a second person", number)
			case key.AskedBy == who.Name || key.Asked == store.KeyLive && key.MadeBy == who.Name:
				return refusal.New(refusal.Forbidden,
					"you asked for this, or made the key yourself; another owner must decide it").
					WithCode("second_person_needed")
			case !approve:
				key.Asked, key.AskedBy, key.AskedAt = "", "", nil
				list = s.listed.Load()
				return tx.SetEscrowKey(key)
			}
			if key.Asked == store.KeyRetired {
				if _, err := retirable(tx, number); err != nil {
					return err
				}
			}
			list, err = s.makeSo(tx, w, key, key.Asked)
			return err
		})
	return refusal.Named(s.know(list, err), "escrow key", fmt.Sprint(number))
}
