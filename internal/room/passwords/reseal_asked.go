package passwords

import (
	"context"
	"errors"
	"fmt"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// AskReseal has the deposits of a retired key sealed again to the newest live one, by [Service.ResealAsked]. That it
// begins is on the trail, and that it ended.
func (s *Service) AskReseal(ctx context.Context, who rights.Identity, number int64) error {
	_, uses, err := s.EscrowKeys(ctx)
	if err != nil {
		return err
	}
	act := uow.ByOperator(operation.ResealEscrowKey, who, fmt.Sprint(number))
	err = s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		key, err := tx.EscrowKey(number)
		switch {
		case err != nil:
			return err
		case key.State != store.KeyRetired:
			return refusal.New(refusal.Conflict,
				"escrow key %d is not retired; retire it first, so that nothing new is sealed to it meanwhile", number)
		case key.ResealBy != "":
			return refusal.New(refusal.Conflict, "the deposits of escrow key %d are being sealed again already", number)
		}
		key.ResealBy, key.ResealTotal, key.ResealDone, key.ResealError = who.Name, uses[number], 0, ""
		w.After = map[string]any{"deposits": uses[number]}
		w.Tell(store.TopicEdits)
		w.Tell(store.TopicKeys)
		return tx.SetReseal(key)
	})
	return refusal.Named(err, "escrow key", fmt.Sprint(number))
}

// StopReseal stops it; what was sealed again stays so.
func (s *Service) StopReseal(ctx context.Context, who rights.Identity, number int64) error {
	act := uow.ByOperator(operation.StopReseal, who, fmt.Sprint(number))
	err := s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		key, err := tx.EscrowKey(number)
		if err != nil {
			return err
		}
		if key.ResealBy == "" {
			return refusal.New(refusal.Conflict, "nothing of escrow key %d is being sealed again", number)
		}
		w.After = map[string]any{"deposits": key.ResealDone}
		w.Tell(store.TopicEdits)
		key.ResealBy = ""
		return tx.SetReseal(key)
	})
	return refusal.Named(err, "escrow key", fmt.Sprint(number))
}

var errStopped = errors.New("sealing again was stopped")

// ResealAsked seals what was asked for, unless another replica does. One that does not hold the key leaves it to
// others.
func (s *Service) ResealAsked(ctx context.Context) error {
	_, err := s.Locks.Exclusively(ctx, store.LockReseal, func(ctx context.Context) error {
		keys, uses, err := s.EscrowKeys(ctx)
		if err != nil {
			return err
		}
		for _, k := range keys {
			if k.ResealBy == "" || !s.escrowKeys().Holds(k.Number) {
				continue
			}
			before := max(k.ResealTotal-uses[k.Number], 0) // of a turn that was cut
			_, err := s.Reseal(ctx, uow.Itself, k.Number, func(done, _ int) error {
				return s.Do(ctx, uow.Upkeep(), func(tx Records, w *uow.Work) error {
					goes, err := tx.ResealGoes(k.Number, before+done)
					w.Tell(store.TopicEdits)
					if err == nil && !goes {
						return errStopped
					}
					return err
				})
			})
			if errors.Is(err, errStopped) {
				continue
			}
			if err != nil && (ctx.Err() != nil || store.IsUnavailable(err)) {
				return err // it goes on by itself
			}
			k.ResealBy, k.ResealDone, k.ResealError = "", k.ResealTotal, ""
			if err != nil {
				k.ResealDone, k.ResealError = 0, err.Error()
			}
			if err := s.Do(ctx, uow.Upkeep(), func(tx Records, w *uow.Work) error {
				w.Tell(store.TopicEdits)
				return tx.SetReseal(k)
			}); err != nil {
				return err
			}
		}
		return nil
	})
	return err
}

// Unrecovered lists a page of current passwords without a recovery copy, by device.
func (s *Service) Unrecovered(ctx context.Context, p store.Page) ([]store.UnrecoveredPassword, string, error) {
	return s.Read(ctx).ListUnrecovered(p)
}

// HoldsKey reports whether this replica has the private half of a key.
func (s *Service) HoldsKey(number int64) bool { return s.escrowKeys().Holds(number) }
