package passwords

import (
	"context"
	"fmt"
	"time"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/escrow"
	"rankwarden.example/internal/wire/protocol"
)

// resealBatch is how many deposits are sealed again in one transaction.
const resealBatch = 200

// Reseal seals what is sealed to a retired escrow key to the newest live one. It may be interrupted
// and begun again; progress is told after every batch, whose error
// ends it.
func (s *Service) Reseal(
	ctx context.Context, who rights.Identity, from int64, progress func(done, all int) error,
) (int, error) {
	act := uow.ByOperator(operation.ResealByCopy, who, fmt.Sprint(from))
	if err := s.Allowed(ctx, act); err != nil {
		return 0, err
	}
	keys, uses, err := s.EscrowKeys(ctx)
	if err != nil {
		return 0, err
	}
	var to store.EscrowKey
	state := ""
	for _, k := range keys {
		if k.Number == from {
			state = k.State
		} else if k.Use == protocol.UseEscrow && k.State == store.KeyLive {
			to = k
		}
	}
	switch {
	case state != store.KeyRetired:
		return 0, refusal.New(
			refusal.Conflict,
			"escrow key %d is not retired; retire it first, so that nothing new is sealed to it meanwhile",
			from,
		)
	case to.Number == 0:
		return 0, refusal.New(refusal.Conflict, "there is no live escrow key to seal to")
	case !s.escrowKeys().Holds(from):
		return 0, refusal.New(refusal.Unavailable, "%v", escrow.ErrNoKey)
	}
	done, all := 0, uses[from]
	var last store.Deposit
	for {
		batch, err := s.Read(ctx).SealedTo(from, last, resealBatch)
		if err != nil {
			return done, err
		}
		if len(batch) == 0 {
			break
		}
		err = s.Do(ctx, uow.Upkeep(), func(tx Records, _ *uow.Work) error {
			for _, d := range batch {
				password, err := s.escrowKeys().Open(d.About(from), d.Sealed)
				if err != nil {
					return fmt.Errorf("deposit %d.%d of device %s: %w", d.Epoch, d.Number, d.DeviceID, err)
				}
				d.KeyNumber = to.Number
				if d.Sealed, err = escrow.Seal(to.Public, d.About(to.Number), password); err != nil {
					return err
				}
				if err := tx.Reseal(d, from); err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return done, err
		}
		last = batch[len(batch)-1]
		done += len(batch)
		if err := progress(done, all); err != nil {
			return done, err
		}
	}
	return done, s.Do(ctx, act, func(_ Records, w *uow.Work) error {
		w.After = map[string]any{"to": to.Number, "deposits": done}
		return nil
	})
}

// ExportedDeposit is one deposit in a file that the recovery key opens without the service.
type ExportedDeposit struct {
	DeviceName  string       `json:"device_name"`
	State       string       `json:"state"`
	DepositedAt time.Time    `json:"deposited_at"`
	About       escrow.About `json:"about"`
	Sealed      []byte       `json:"sealed"`
}

// ExportDeposits gives every deposit that is sealed to a recovery key. It holds sealed bytes only.
func (s *Service) ExportDeposits(
	ctx context.Context, who rights.Identity, receive func(ExportedDeposit) error,
) (int, error) {
	act := uow.ByOperator(operation.ExportDeposits, who, "deposits")
	if err := s.Allowed(ctx, act); err != nil {
		return 0, err
	}
	names := map[string]string{}
	done := 0
	var last store.Deposit
	for {
		batch, err := s.Read(ctx).DepositsAfter(last, resealBatch)
		if err != nil {
			return done, err
		}
		if len(batch) == 0 {
			break
		}
		for _, d := range batch {
			if names[d.DeviceID] == "" {
				device, err := s.Read(ctx).Device(s.Clock(), d.DeviceID, "")
				if err != nil {
					return done, err
				}
				clear(names) // they come by device
				names[d.DeviceID] = device.Name
			}
			about := d.About(*d.RecoveryNumber)
			about.Format = escrow.AboutFormat
			if err := receive(ExportedDeposit{names[d.DeviceID], d.State, d.DepositedAt, about,
				d.RecoverySealed}); err != nil {
				return done, err
			}
			done++
		}
		last = batch[len(batch)-1]
	}
	return done, s.Do(ctx, act, func(_ Records, w *uow.Work) error {
		w.After = map[string]any{"deposits": done}
		return nil
	})
}
