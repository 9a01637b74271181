package service

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"fmt"
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/escrow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire"
)

// EscrowKeys are all escrow and recovery keys, with how many deposits each has.
func (s *Service) EscrowKeys(ctx context.Context) ([]store.EscrowKey, map[int64]int, error) {
	db := s.Store.With(ctx)
	keys, err := db.EscrowKeys()
	if err != nil {
		return nil, nil, err
	}
	uses, err := db.KeyUses()
	return keys, uses, err
}

// AddEscrowKey enters the public half of a new key. It is not live before a copy of its private half
// was proved.
func (s *Service) AddEscrowKey(ctx context.Context, who auth.Identity, number int64, use string, public []byte) error {
	return s.InTx(ctx, func(tx store.Tx) error {
		if _, err := tx.LockServiceState(s.Organisation); err != nil {
			return err
		}
		if err := tx.AddEscrowKey(store.EscrowKey{Number: number, Use: use, Public: public, State: store.KeyNew, MadeAt: s.Now()}); err != nil {
			return named(err, "escrow key", fmt.Sprint(number))
		}
		return s.audit(tx, who, record{action: "keys.made", object: fmt.Sprint(number), after: map[string]any{"use": use}})
	})
}

// ChallengeFormat is the format of a challenge.
const ChallengeFormat = "rankwarden.challenge/1"

// Challenge proves, when it is answered, that a copy of a private key exists.
type Challenge struct {
	Format string       `json:"format"`
	About  escrow.About `json:"about"`
	Sealed []byte       `json:"sealed"`
}

// Answer opens the challenge.
func (c Challenge) Answer(copy escrow.Opener) (string, error) { return copy.Open(c.About, c.Sealed) }

// nobody is the well-known identifier that no account has.
var nobody = principal.MustSID("S-1-0-0")

// Challenge makes one for a key that is not live yet.
func (s *Service) Challenge(ctx context.Context, number int64) (Challenge, error) {
	var c Challenge
	err := s.InTx(ctx, func(tx store.Tx) error {
		if _, err := tx.LockServiceState(s.Organisation); err != nil {
			return err
		}
		key, err := tx.EscrowKey(number)
		if err != nil {
			return err
		}
		if key.State != store.KeyNew {
			return failf(Conflict, "escrow key %d is %s already", number, key.State)
		}
		answer := rand.Text()
		c = Challenge{Format: ChallengeFormat, About: escrow.About{Format: escrow.AboutFormat, Organisation: s.keyList.Load().organisation, Device: "challenge",
			Target: principal.Administrator, Account: nobody, Key: number}}
		if c.Sealed, err = escrow.Seal(key.Public, c.About, answer); err != nil {
			return err
		}
		key.Challenge = wire.Digest([]byte(answer))
		return tx.SetEscrowKey(key)
	})
	return c, named(err, "escrow key", fmt.Sprint(number))
}

// ProveEscrowKey makes a key live when the answer shows that its challenge was opened.
func (s *Service) ProveEscrowKey(ctx context.Context, who auth.Identity, number int64, answer string) error {
	return named(s.InTx(ctx, func(tx store.Tx) error {
		if _, err := tx.LockServiceState(s.Organisation); err != nil {
			return err
		}
		key, err := tx.EscrowKey(number)
		if err != nil {
			return err
		}
		if key.State != store.KeyNew || key.Challenge == "" {
			return failf(Conflict, "escrow key %d waits for no proof; make a challenge for it first", number)
		}
		if subtle.ConstantTimeCompare([]byte(wire.Digest([]byte(answer))), []byte(key.Challenge)) != 1 {
			return failf(Invalid, "that is not the answer to the latest challenge of escrow key %d; open that one with the copy of the key", number)
		}
		key.State, key.Challenge, key.ProvedAt = store.KeyLive, "", new(s.Now())
		if err := tx.SetEscrowKey(key); err != nil {
			return err
		}
		if err := s.audit(tx, who, record{action: "keys.proved", object: fmt.Sprint(number), after: map[string]any{"use": key.Use}}); err != nil {
			return err
		}
		return s.listKeys(tx)
	}), "escrow key", fmt.Sprint(number))
}

// RetireEscrowKey has nothing new sealed to a key. What is sealed to it stays, and so must its
// private half, until it is sealed again to another one.
func (s *Service) RetireEscrowKey(ctx context.Context, who auth.Identity, number int64) error {
	return named(s.InTx(ctx, func(tx store.Tx) error {
		if _, err := tx.LockServiceState(s.Organisation); err != nil {
			return err
		}
		keys, err := tx.EscrowKeys()
		if err != nil {
			return err
		}
		var key store.EscrowKey
		others := 0
		for _, k := range keys {
			if k.Number == number {
				key = k
			} else if k.Use == wire.UseEscrow && k.State == store.KeyLive {
				others++
			}
		}
		switch {
		case key.Number == 0:
			return store.ErrNotFound
		case key.State == store.KeyRetired:
			return failf(Conflict, "escrow key %d is retired already", number)
		case key.Use == wire.UseEscrow && key.State == store.KeyLive && others == 0:
			return failf(Conflict, "escrow key %d is the only live one: without it no device can change a password. Make and prove another one first", number)
		}
		key.State, key.RetiredAt = store.KeyRetired, new(s.Now())
		if err := tx.SetEscrowKey(key); err != nil {
			return err
		}
		if err := s.audit(tx, who, record{action: "keys.retired", object: fmt.Sprint(number)}); err != nil {
			return err
		}
		return s.listKeys(tx)
	}), "escrow key", fmt.Sprint(number))
}

// resealBatch is how many deposits are sealed again in one transaction.
const resealBatch = 200

// Reseal seals what is sealed to a retired escrow key to the newest live one. It may be interrupted
// and begun again; progress is told after every batch.
func (s *Service) Reseal(ctx context.Context, who auth.Identity, from int64, progress func(done, all int)) (int, error) {
	keys, uses, err := s.EscrowKeys(ctx)
	if err != nil {
		return 0, err
	}
	var to store.EscrowKey
	state := ""
	for _, k := range keys {
		if k.Number == from {
			state = k.State
		} else if k.Use == wire.UseEscrow && k.State == store.KeyLive {
			to = k
		}
	}
	switch {
	case state != store.KeyRetired:
		return 0, failf(Conflict, "escrow key %d is not retired; retire it first, so that nothing new is sealed to it meanwhile", from)
	case to.Number == 0:
		return 0, failf(Conflict, "there is no live escrow key to seal to")
	case !s.escrowKeys().Holds(from):
		return 0, failf(Unavailable, "%v", escrow.ErrNoKey)
	}
	done, all := 0, uses[from]
	var last store.Deposit
	for {
		batch, err := s.Store.With(ctx).SealedTo(from, last, resealBatch)
		if err != nil {
			return done, err
		}
		if len(batch) == 0 {
			break
		}
		err = s.InTx(ctx, func(tx store.Tx) error {
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
		progress(done, all)
	}
	return done, s.InTx(ctx, func(tx store.Tx) error {
		return s.audit(tx, who, record{action: "keys.resealed", object: fmt.Sprint(from), after: map[string]any{"to": to.Number, "deposits": done}})
	})
}

// Exported is one deposit in a file that the recovery key opens without the service.
type Exported struct {
	DeviceName  string       `json:"device_name"`
	State       string       `json:"state"`
	DepositedAt time.Time    `json:"deposited_at"`
	About       escrow.About `json:"about"`
	Sealed      []byte       `json:"sealed"`
}

// ExportDeposits gives every deposit that is sealed to a recovery key. It holds sealed bytes only.
func (s *Service) ExportDeposits(ctx context.Context, who auth.Identity, receive func(Exported) error) (int, error) {
	names := map[string]string{}
	done := 0
	var last store.Deposit
	for {
		batch, err := s.Store.With(ctx).DepositsAfter(last, resealBatch)
		if err != nil {
			return done, err
		}
		if len(batch) == 0 {
			break
		}
		for _, d := range batch {
			if names[d.DeviceID] == "" {
				device, err := s.Store.With(ctx).Device(s.clock(), d.DeviceID, "")
				if err != nil {
					return done, err
				}
				clear(names) // they come by device
				names[d.DeviceID] = device.Name
			}
			about := d.About(*d.RecoveryNumber)
			about.Format = escrow.AboutFormat
			if err := receive(Exported{names[d.DeviceID], d.State, d.DepositedAt, about, d.RecoverySealed}); err != nil {
				return done, err
			}
			done++
		}
		last = batch[len(batch)-1]
	}
	return done, s.InTx(ctx, func(tx store.Tx) error {
		return s.audit(tx, who, record{action: "deposits.exported", object: "deposits", after: map[string]any{"deposits": done}})
	})
}

// MakeEscrowKey makes a key, writes its private half into a ring of mode 0600, and enters its public
// half. A number is never used twice.
func (s *Service) MakeEscrowKey(ctx context.Context, who auth.Identity, use, path string) (int64, error) {
	keys, err := s.Store.With(ctx).EscrowKeys()
	if err != nil {
		return 0, err
	}
	ring, err := escrow.ReadRing(path)
	if err != nil {
		return 0, err
	}
	number := ring.Highest() + 1
	for _, k := range keys {
		number = max(number, k.Number+1)
	}
	private, err := escrow.NewPrivate()
	if err != nil {
		return 0, err
	}
	ring.Keys = append(ring.Keys, escrow.RingKey{Number: number, Use: use, MadeAt: s.Now().UTC().Truncate(time.Second), Private: private})
	if err := ring.Write(path); err != nil { // first, so that no public half stands alone
		return 0, err
	}
	return number, s.AddEscrowKey(ctx, who, number, use, private.Public())
}

// ProveByCopy makes a key live with a copy of its private half that lies on this machine.
func (s *Service) ProveByCopy(ctx context.Context, who auth.Identity, number int64, copy escrow.Opener) error {
	c, err := s.Challenge(ctx, number)
	if err != nil {
		return err
	}
	answer, err := c.Answer(copy)
	if err != nil {
		return failf(Invalid, "the copy does not open the challenge of escrow key %d: %v", number, err)
	}
	return s.ProveEscrowKey(ctx, who, number, answer)
}

// Console is the identity of who works on the machine of the service itself.
func Console(user string) auth.Identity {
	return auth.Identity{Name: "console:" + user, Grants: []auth.Grant{{Role: auth.Owner}}}
}
