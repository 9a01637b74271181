package passwords

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"errors"
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

const (
	drillOf    = 5                  // passwords, drawn by lot
	drillLasts = 7 * 24 * time.Hour // until its answer
	nonceSize  = 16
)

// BeginDrill draws some passwords that are sealed to a recovery key, for a copy of it to open where it is kept. The
// number may be 0 where one recovery key is live. No password is in the drill but sealed, and its answer tells none.
func (s *Service) BeginDrill(ctx context.Context, who rights.Identity, number int64) (escrow.Drill, error) {
	nonce := make([]byte, nonceSize)
	_, _ = rand.Read(nonce) // it never fails
	d := escrow.Drill{Format: escrow.DrillFormat, ID: store.NewID(s.Now()), Nonce: nonce}
	err := s.Do(ctx, uow.ByOperator(operation.BeginDrill, who, fmt.Sprint(number)),
		func(tx Records, w *uow.Work) (err error) {
			if d.Key, err = drilled(tx, number); err != nil {
				return err
			}
			w.SetObject(fmt.Sprint(d.Key))
			drawn, err := tx.SomeRecovered(d.Key, drillOf)
			if err != nil {
				return err
			}
			if len(drawn) == 0 {
				return refusal.New(refusal.Conflict, "no current password is sealed to recovery key %d yet, so "+
					"there is nothing to open", d.Key).WithCode("nothing_sealed")
			}
			secrets := make([]string, len(drawn))
			for i, deposit := range drawn {
				if !s.escrowKeys().Holds(deposit.KeyNumber) {
					return refusal.New(refusal.Unavailable, "escrow key %d is not here, so the answer could not be "+
						"checked; give it with --escrow-keys", deposit.KeyNumber).WithCode(protocol.CodeKeyMissing)
				}
				if secrets[i], err = s.escrowKeys().Open(deposit.About(deposit.KeyNumber), deposit.Sealed); err != nil {
					return refusal.New(refusal.Unavailable, "deposit %d.%d: %v", deposit.Epoch, deposit.Number, err)
				}
				about := deposit.About(d.Key)
				about.Format = escrow.AboutFormat
				d.Sealed = append(d.Sealed, escrow.DrillItem{About: about, Sealed: deposit.RecoverySealed})
			}
			w.After = map[string]any{"passwords": len(drawn)}
			return tx.AddDrill(store.Drill{ID: d.ID, KeyNumber: d.Key, Deposits: len(drawn), MadeBy: who.Name,
				MadeAt: s.Now(), Answer: answerDigest(d.ID, escrow.DrillWord(nonce, secrets))})
		})
	return d, err
}

// answerDigest is what is kept of the answer to a drill.
func answerDigest(drill, word string) string {
	return protocol.Digest([]byte(drill + "\n" + escrow.PlainWord(word)))
}

// drilled is the number of the recovery key that a drill is of.
func drilled(tx Reads, number int64) (int64, error) {
	keys, err := tx.EscrowKeys()
	if err != nil {
		return 0, err
	}
	var live []int64
	for _, k := range keys {
		if k.Use == protocol.UseRecovery && k.State == store.KeyLive && (number == 0 || k.Number == number) {
			live = append(live, k.Number)
		}
	}
	switch {
	case len(live) == 0 && number == 0:
		return 0, refusal.New(refusal.NotFound, "no recovery key is live; make one with rankwardend keys new "+
			"--recovery")
	case len(live) == 0:
		return 0, refusal.New(refusal.NotFound, "key %d is no recovery key that is live", number)
	case len(live) > 1:
		return 0, refusal.New(refusal.Invalid, "several recovery keys are live; say which: %v", live)
	}
	return live[0], nil
}

// PassDrill takes the answer to the latest drill. It is wrong unless everything in it was opened.
func (s *Service) PassDrill(ctx context.Context, who rights.Identity, word string) (store.Drill, error) {
	var d store.Drill
	var wrong error
	act := uow.ByOperator(operation.PassDrill, who, "recovery key")
	err := s.Do(ctx, act, func(tx Records, w *uow.Work) (err error) {
		now := s.Now()
		if d, err = tx.LatestDrill(now.Add(-drillLasts)); err != nil {
			return err
		}
		w.SetObject(fmt.Sprint(d.KeyNumber))
		w.After = map[string]any{"passwords": d.Deposits}
		if subtle.ConstantTimeCompare([]byte(answerDigest(d.ID, word)), []byte(d.Answer)) != 1 {
			wrong = refusal.New(refusal.Invalid, "that is not the answer to the latest drill, of %s: either the "+
				"word was copied wrongly, or this copy of recovery key %d does not open what is sealed to it",
				d.MadeAt.UTC().Format("2006-01-02 15:04 UTC"), d.KeyNumber)
			w.Quiet()
			return nil
		}
		d.PassedBy, d.PassedAt = who.Name, &now
		w.Tell(store.TopicKeys)
		return tx.DrillPassed(d)
	})
	if err == nil && wrong != nil { // a drill that fails is worth a look
		err = s.Refuse(ctx, act.On(fmt.Sprint(d.KeyNumber)), wrong)
	}
	if errors.Is(err, store.ErrNotFound) {
		err = refusal.New(refusal.Conflict, "no drill of the last week waits for an answer; begin one: rankwardend "+
			"keys drill > drill.json")
	}
	return d, err
}
