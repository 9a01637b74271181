package passwords

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"time"
	"unicode/utf8"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/rotation"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/kit/batch"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/escrow"
	"rankwarden.example/internal/wire/protocol"
)

// given is a deposit that is to be stored with those of other devices.
type given struct {
	record store.Deposit
	target principal.Ref
	taken  bool
}

// TakeDeposit stores a sealed password. It is opened in memory, so that what cannot be read is never
// set; it is durable before it is answered. A repeat is taken as done.
func (s *Service) TakeDeposit(ctx context.Context, device string, d protocol.Deposit) (time.Time, error) {
	record, err := s.checkDeposit(device, d)
	if err != nil {
		return time.Time{}, err
	}
	record.DepositedAt = s.Now().UTC()
	in := &given{record: record, target: d.Target}
	if err := s.given.Do(ctx, device, in, s.takeDeposits); err != nil || in.taken {
		return record.DepositedAt, err
	}
	at := record.DepositedAt
	err = s.Do(
		ctx,
		uow.ByDevice(device),
		func(tx Records, _ *uow.Work) error { // a repeat, one that is given again, of a snapshot, or of a locked device
			known, err := liveDevice(tx, device)
			if err != nil {
				return err
			}
			// The device was locked when those of others were stored. It is ours now.
			if err := s.storeDeposits(tx, []*given{in}); err != nil || in.taken {
				return err
			}
			earlier, err := tx.Deposit(device, d.Epoch, d.Number)
			if errors.Is(err, store.ErrNotFound) {
				live, keyErr := tx.KeyIsLive(record.KeyNumber)
				if keyErr != nil {
					return keyErr
				}
				if !live {
					return refusal.New(refusal.Conflict,
						"escrow key %d was retired, so nothing is sealed to it any more; read the key list, and seal "+
							"to the key that is live", record.KeyNumber).
						WithCode(protocol.CodeKeyRetired)
				}
			}
			switch {
			case err == nil && earlier.Digest == record.Digest:
				at = earlier.DepositedAt
				return nil
			case err != nil && !errors.Is(err, store.ErrNotFound):
				return err
			case err == nil, d.Epoch >= known.Epoch:
				return refusal.Behind("deposit %d of epoch %d", d.Number, d.Epoch, known.DepositNumber, known.Epoch)
			}
			return tx.AddEarlierDeposit(in.record)
		},
	)
	return at, err
}

func liveDevice(tx Records, id string) (store.Device, error) {
	d, err := tx.LockDevice(id)
	if err == nil && d.State != store.Live {
		err = refusal.NotLive(d.State, "change passwords")
	}
	return d, err
}

// checkDeposit opens what is sealed to the escrow key and compares what it is about; what is sealed to
// the recovery key cannot be opened here, but must be as long.
func (s *Service) checkDeposit(device string, d protocol.Deposit) (store.Deposit, error) {
	bad := func(format string, args ...any) (store.Deposit, error) {
		return store.Deposit{}, refusal.New(refusal.Invalid, format, args...).WithCode(protocol.CodeBadDeposit)
	}
	if d.Number < 1 || d.Target.IsZero() || d.Account.IsZero() || !slices.Contains(rotation.Reasons, d.Reason) ||
		!utf8.ValidString(
			d.NameBefore+d.NameAfter,
		) || len(d.NameBefore) > 200 || len(d.NameAfter) > 200 || len(d.Sealed) < 1 || len(d.Sealed) > 2 {
		return bad(
			"the deposit cannot be read: it needs a number, a target, an account, a reason and one or two sealed " +
				"passwords",
		)
	}
	organisation := s.listed.Load().organisation
	sealed := d.Sealed[0]
	if !s.escrowKeys().Holds(sealed.Key) {
		return store.Deposit{}, refusal.New(refusal.Unavailable,
			"this service does not hold escrow key %d; nothing was stored, and the password must stay as it is",
			sealed.Key).
			WithCode(protocol.CodeKeyMissing)
	}
	password, err := s.escrowKeys().Open(escrow.Of(organisation, device, d, sealed.Key), sealed.Bytes)
	if err != nil {
		return bad("%v", err)
	}
	if password == "" || len(password) > escrow.MaxPassword || !utf8.ValidString(password) {
		return bad("the sealed password is empty, or longer than %d bytes", escrow.MaxPassword)
	}
	record := store.Deposit{
		DeviceID:     device,
		Epoch:        d.Epoch,
		Number:       d.Number,
		Target:       d.Target.String(),
		Account:      d.Account.String(),
		NameBefore:   d.NameBefore,
		NameAfter:    d.NameAfter,
		Reason:       d.Reason,
		Organisation: organisation,
		KeyNumber:    sealed.Key,
		Sealed:       sealed.Bytes,
		Digest:       d.Digest(),
		State:        store.DepositPending,
	}
	if len(d.Sealed) == 2 {
		if escrow.SealedLength(d.Sealed[1].Bytes) != len(password) {
			return bad("what is sealed to recovery key %d is not as long as the password", d.Sealed[1].Key)
		}
		record.RecoveryNumber, record.RecoverySealed = &d.Sealed[1].Key, d.Sealed[1].Bytes
	}
	return record, nil
}

// takeDeposits stores deposits of as many devices, in one statement; one that spoils it holds up no other.
func (s *Service) takeDeposits(ctx context.Context, list []*given) []error {
	spoilt := func(err error) bool { return !store.IsUnavailable(err) }
	return batch.Isolate(list, spoilt, func(list []*given) ([]error, error) {
		err := s.DoStatement(ctx, uow.Upkeep(), func(tx Records) error { return s.storeDeposits(tx, list) })
		return make([]error, len(list)), err
	})
}

func (s *Service) storeDeposits(tx Records, list []*given) error {
	devices := make([]string, len(list))
	for i, in := range list {
		devices[i] = in.record.DeviceID
	}
	scopes, err := tx.ScopesOf(devices)
	if err != nil {
		return err
	}
	records := make([]store.Deposit, len(list))
	for i, in := range list {
		if digest := scopes[in.record.DeviceID]; digest != "" {
			// Which policy's rule asks for it now, with its revision. What a scope says never changes.
			if in.record.Policy, err = s.Scopes.PoliciesFor(tx, digest, unit.RotationOf(in.target)); err != nil {
				return err
			}
		}
		records[i] = in.record
	}
	// No notice is given: it would make deposits wait for each other. The confirmation gives one.
	taken, err := tx.TakeDeposits(records)
	for _, in := range list {
		in.taken = taken[in.record.DeviceID]
	}
	return err
}

// formerAge is the least age at which a former password may go.
const formerAge = 90 * 24 * time.Hour

// TakeConfirmation makes the password of a deposit the current one. A repeat is taken as done.
func (s *Service) TakeConfirmation(ctx context.Context, device string, c protocol.Confirm) error {
	return s.Do(ctx, uow.ByDevice(device), func(tx Records, w *uow.Work) error {
		known, err := liveDevice(tx, device)
		if err != nil {
			return err
		}
		d, err := tx.Deposit(device, c.Epoch, c.Number)
		if errors.Is(err, store.ErrNotFound) {
			return refusal.New(refusal.NotFound, "there is no deposit %d of epoch %d; give it again first", c.Number,
				c.Epoch).
				WithCode(protocol.CodeDepositUnknown)
		}
		if err != nil {
			return err
		}
		if err := tx.ConfirmDeposit(d, s.Now()); err != nil {
			return err
		}
		asked, err := tx.Asked(known.SettingsDigest)
		if err != nil {
			return err
		}
		keep := cmp.Or(unit.Rotations(asked.Settings)[targetOf(d)].Keep, defaultKeep)
		if err := tx.PruneDeposits(device, d.Target, keep, s.Now().Add(-formerAge)); err != nil {
			return err
		}
		w.Tell(store.TopicDevices, device)
		return nil
	})
}

const defaultKeep = 5 // former passwords, where no rule says how many

func targetOf(d store.Deposit) principal.Ref {
	target, _ := principal.Parse(d.Target) // it was checked when it was stored
	return target
}

// NewDeviceEpoch gives a device that came back from a snapshot an epoch in which none of its numbers
// was used. Asking again with the same nonce gives the same epoch.
func (s *Service) NewDeviceEpoch(
	ctx context.Context, device string, req protocol.EpochRequest,
) (epoch int64, err error) {
	if req.Nonce == "" || len(req.Nonce) > 100 {
		return 0, refusal.New(refusal.Invalid, "the request for a new epoch has no nonce").
			WithCode(protocol.CodeBadDocument)
	}
	if req.Held < 0 || req.Held > protocol.MaxEpoch {
		return 0, refusal.New(refusal.Invalid, "the device says that it holds epoch %d; one is from 0 to %d", req.Held,
			protocol.MaxEpoch).
			WithCode(protocol.CodeBadDocument)
	}
	err = s.Do(ctx, uow.ByDevice(device).As("device.epoch_begun"), func(tx Records, w *uow.Work) error {
		d, err := liveDevice(tx, device)
		if err != nil {
			return err
		}
		if epoch = d.Epoch; d.EpochNonce == req.Nonce {
			w.Quiet()
			return nil
		}
		epoch = max(d.Epoch, req.Held) + 1
		if err := tx.BeginEpoch(d.ID, epoch, req.Nonce); err != nil {
			return err
		}
		w.Tell(store.TopicDevices, d.ID)
		w.Before = map[string]any{"epoch": d.Epoch, "held": req.Held}
		w.After = map[string]any{"epoch": epoch}
		return nil
	})
	return epoch, err
}
