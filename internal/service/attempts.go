package service

import (
	"context"
	"strings"
	"time"

	"rankwarden.example/internal/audit"
	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/store"
)

// Wrong passwords are limited by name and address together, by address, and by name. After the free
// tries one must wait, twice as long each time, up to the longest wait. The limit by name alone does not
// hold for addresses from which the operator signed in before, so that strangers keep nobody out.
const (
	freeTriesTogether = 5
	freeTriesAlone    = 20
	longestWait       = 15 * time.Minute
	forgetAfter       = time.Hour
)

// attempt is one attempt to sign in, which was counted as a failure before the password is compared: so
// any number of attempts at once compare no more passwords than one after the other would.
type attempt struct {
	pair   string
	others []string
	at     time.Time
}

// spendAttempt counts an attempt, or refuses it.
func (s *Service) spendAttempt(ctx context.Context, who auth.Identity) (attempt, error) {
	a := attempt{pair: "name " + who.Name + " at " + who.Address, others: []string{"address " + who.Address}, at: s.Now()}
	free := map[string]int{a.pair: freeTriesTogether, "address " + who.Address: freeTriesAlone}
	var wait time.Duration
	err := s.InTx(ctx, func(tx store.Tx) error {
		known := false
		if who.OperatorID != "" {
			var err error
			if known, err = tx.KnowsAddress(who.OperatorID, who.Address); err != nil {
				return err
			}
		}
		if !known {
			a.others = append(a.others, "name "+who.Name)
			free["name "+who.Name] = freeTriesAlone
		}
		counts, err := tx.LockSignInFailures(a.at, append([]string{a.pair}, a.others...)...)
		if err != nil {
			return err
		}
		for _, f := range counts {
			wait = max(wait, f.BlockedTo.Sub(a.at))
		}
		if wait > 0 {
			return nil
		}
		for _, f := range counts {
			if a.at.Sub(f.LastAt) >= forgetAfter {
				f.Failures = 0
			}
			f.Failures++
			f.LastAt, f.BlockedTo = a.at, a.at
			if over := f.Failures - free[f.Subject]; over >= 0 {
				f.BlockedTo = a.at.Add(min(time.Second<<min(over, 20), longestWait))
			}
			if err := tx.SetSignInFailure(f); err != nil {
				return err
			}
		}
		return nil
	})
	if err == nil && wait > 0 {
		refusal := failf(TooMany, "too many wrong passwords; try again in %s", wait.Round(time.Second)+time.Second)
		refusal.Retry = wait
		err = refusal
	}
	return a, err
}

// giveBack takes a successful attempt out of the counts: the one of name and address begins again, the
// others are as if it had not been.
func (a attempt) giveBack(tx store.Tx) error {
	counts, err := tx.LockSignInFailures(a.at, append([]string{a.pair}, a.others...)...)
	if err != nil {
		return err
	}
	for _, f := range counts {
		if f.Subject == a.pair {
			f.Failures, f.BlockedTo = 0, a.at
		} else if f.Failures--; f.Failures < freeTriesAlone {
			f.BlockedTo = a.at
		}
		f.Failures = max(f.Failures, 0)
		if err := tx.SetSignInFailure(f); err != nil {
			return err
		}
	}
	return nil
}

// strangerRefused counts a refused attempt of somebody who is not signed in, and gives the refusal. The
// sum of a minute enters the trail as one entry.
func (s *Service) strangerRefused(ctx context.Context, action, address, name string, refusal error) error {
	if err := s.Store.With(ctx).CountStranger(s.Now().UTC().Truncate(time.Minute), action, shortened(address), shortened(name)); err != nil {
		s.Log.Warn("a refused attempt could not be counted", "action", action, "error", err)
	}
	return refusal
}

// shortened keeps what strangers send small.
func shortened(s string) string {
	const most = 64 // bytes
	return strings.ReplaceAll(strings.ToValidUTF8(s[:min(len(s), most)], ""), "\x00", "")
}

// RecordStrangers puts the refused attempts of strangers on the trail, one entry for each minute that is
// over and each action.
func (s *Service) RecordStrangers(ctx context.Context) error {
	return s.InTx(ctx, func(tx store.Tx) error {
		sums, err := tx.TakeStrangers(s.Now().UTC().Truncate(time.Minute))
		if err != nil {
			return err
		}
		for _, sum := range sums {
			if err := s.audit(tx, auth.Identity{Name: audit.Strangers}, record{action: sum.Action, object: "attempts", outcome: audit.Refused,
				after: map[string]any{"minute": sum.Minute.UTC().Format(time.RFC3339), "attempts": sum.Attempts, "names": sum.Names, "addresses": sum.Addresses}}); err != nil {
				return err
			}
		}
		return nil
	})
}

// StrangersLoop puts refused attempts of strangers on the trail as their minutes end, until the context ends.
func (s *Service) StrangersLoop(ctx context.Context) {
	for {
		if err := s.RecordStrangers(ctx); err != nil && ctx.Err() == nil {
			s.Log.Warn("refused attempts of strangers could not be recorded; it will be tried again", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(20 * time.Second):
		}
	}
}
