package passwords

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"fmt"
	"time"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/escrow"
	"rankwarden.example/internal/wire/protocol"
)

// EscrowKeys are all escrow and recovery keys, with how many deposits each has.
func (s *Service) EscrowKeys(ctx context.Context) ([]store.EscrowKey, map[int64]int, error) {
	db := s.Read(ctx)
	keys, err := db.EscrowKeys()
	if err != nil {
		return nil, nil, err
	}
	uses, err := db.KeyUses()
	return keys, uses, err
}

// AddEscrowKey enters the public half of a new key. It is not live before a copy of its private half
// was proved.
func (s *Service) AddEscrowKey(
	ctx context.Context, who rights.Identity, number int64, use string, public []byte,
) error {
	return s.Do(
		ctx,
		uow.ByOperator(operation.CreateEscrowKey, who, fmt.Sprint(number)),
		func(tx Records, w *uow.Work) error {
			if _, err := tx.LockServiceState(s.Organisation); err != nil {
				return err
			}
			if err := escrow.CheckPublic(public); err != nil {
				return refusal.New(refusal.Invalid, "%v", err).At("public")
			}
			if use != protocol.UseEscrow && use != protocol.UseRecovery {
				return refusal.New(refusal.Invalid, "a key is for %s or %s", protocol.UseEscrow, protocol.UseRecovery).
					At("use")
			}
			if number < 1 {
				return refusal.New(refusal.Invalid, "the number of a key is at least 1").At("number")
			}
			w.Tell(store.TopicEdits)
			if err := tx.AddEscrowKey(store.EscrowKey{
				Number: number, Use: use, Public: public, State: store.KeyNew, MadeAt: s.Now(), MadeBy: who.Name,
			}); err != nil {
				return refusal.Named(err, "escrow key", fmt.Sprint(number))
			}
			w.After = map[string]any{"use": use}
			return nil
		},
	)
}

// nobody is the well-known identifier that no account has.
var nobody = principal.MustSID("S-1-0-0")

// Challenge makes one for a key that is not live yet.
func (s *Service) Challenge(ctx context.Context, number int64) (escrow.Challenge, error) {
	var c escrow.Challenge
	err := s.Do(ctx, uow.Upkeep(), func(tx Records, _ *uow.Work) error {
		if _, err := tx.LockServiceState(s.Organisation); err != nil {
			return err
		}
		key, err := tx.EscrowKey(number)
		if err != nil {
			return err
		}
		if key.State != store.KeyNew {
			return refusal.New(refusal.Conflict, "escrow key %d is %s already", number, key.State)
		}
		answer := rand.Text()
		c = escrow.Challenge{
			Format: escrow.ChallengeFormat,
			About: escrow.About{
				Format:       escrow.AboutFormat,
				Organisation: s.listed.Load().organisation,
				Device:       "challenge",
				Target:       principal.Administrator,
				Account:      nobody,
				Key:          number,
			},
		}
		if c.Sealed, err = escrow.Seal(key.Public, c.About, answer); err != nil {
			return err
		}
		key.Challenge = protocol.Digest([]byte(answer))
		return tx.SetEscrowKey(key)
	})
	return c, refusal.Named(err, "escrow key", fmt.Sprint(number))
}

// ProveEscrowKey makes a key live when the answer shows that its challenge was opened.
func (s *Service) ProveEscrowKey(ctx context.Context, who rights.Identity, number int64, answer string) error {
	var list *knownKeyList
	err := s.Do(
		ctx,
		uow.ByOperator(operation.ProveEscrowKey, who, fmt.Sprint(number)),
		func(tx Records, w *uow.Work) error {
			if _, err := tx.LockServiceState(s.Organisation); err != nil {
				return err
			}
			key, err := tx.EscrowKey(number)
			if err != nil {
				return err
			}
			if key.State != store.KeyNew || key.Challenge == "" {
				return refusal.New(
					refusal.Conflict,
					"escrow key %d waits for no proof; create a challenge for it first",
					number,
				)
			}
			if subtle.ConstantTimeCompare([]byte(protocol.Digest([]byte(answer))), []byte(key.Challenge)) != 1 {
				return refusal.New(
					refusal.Invalid,
					"that is not the answer to the latest challenge of escrow key %d; open that one with the copy of "+
						"the key",
					number,
				)
			}
			key.Challenge, key.ProvedAt = "", new(s.Now())
			w.After = map[string]any{"use": key.Use}
			list, err = s.become(tx, w, key, store.KeyLive)
			return err
		},
	)
	return refusal.Named(s.know(list, err), "escrow key", fmt.Sprint(number))
}

// RetireEscrowKey has nothing new sealed to a key. What is sealed to it stays, and so must its
// private half, until it is sealed again to another one.
func (s *Service) RetireEscrowKey(ctx context.Context, who rights.Identity, number int64) error {
	var list *knownKeyList
	err := s.Do(
		ctx,
		uow.ByOperator(operation.RetireEscrowKey, who, fmt.Sprint(number)),
		func(tx Records, w *uow.Work) error {
			if _, err := tx.LockServiceState(s.Organisation); err != nil {
				return err
			}
			key, err := retirable(tx, number)
			if err != nil {
				return err
			}
			list, err = s.become(tx, w, key, store.KeyRetired)
			return err
		},
	)
	return refusal.Named(s.know(list, err), "escrow key", fmt.Sprint(number))
}

// retirable is a key that may be retired.
func retirable(tx Records, number int64) (key store.EscrowKey, err error) {
	keys, err := tx.EscrowKeys()
	if err != nil {
		return key, err
	}
	others := 0
	for _, k := range keys {
		if k.Number == number {
			key = k
		} else if k.Use == protocol.UseEscrow && k.State == store.KeyLive {
			others++
		}
	}
	switch {
	case key.Number == 0:
		return key, store.ErrNotFound
	case key.State == store.KeyRetired:
		return key, refusal.New(refusal.Conflict, "escrow key %d is retired already", number)
	case key.Use == protocol.UseEscrow && key.State == store.KeyLive && others == 0:
		return key, refusal.New(
			refusal.Conflict,
			"escrow key %d is the only live one: without it no device can change a password. Make and prove another "+
				"one first",
			number,
		)
	}
	return key, nil
}

// MakeEscrowKey makes a key, writes its private half into a ring of mode 0600, and enters its public
// half. A number is never used twice.
func (s *Service) MakeEscrowKey(ctx context.Context, who rights.Identity, use, path string) (int64, error) {
	keys, err := s.Read(ctx).EscrowKeys()
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
	ring.Keys = append(
		ring.Keys,
		escrow.RingKey{Number: number, Use: use, MadeAt: s.Now().UTC().Truncate(time.Second), Private: private},
	)
	if err := ring.Write(path); err != nil { // first, so that no public half stands alone
		return 0, err
	}
	return number, s.AddEscrowKey(ctx, who, number, use, private.Public())
}

// ProveByCopy makes a key live with a copy of its private half that lies on this machine.
func (s *Service) ProveByCopy(ctx context.Context, who rights.Identity, number int64, copy escrow.Opener) error {
	c, err := s.Challenge(ctx, number)
	if err != nil {
		return err
	}
	answer, err := c.Answer(copy)
	if err != nil {
		return refusal.New(refusal.Invalid, "the copy does not open the challenge of escrow key %d: %v", number, err)
	}
	return s.ProveEscrowKey(ctx, who, number, answer)
}
