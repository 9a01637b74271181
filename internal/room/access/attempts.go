package access

import (
	"context"
	"time"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/kit/doubling"
)

// Wrong passwords are limited by name and address together, by address, and by name. After the free tries one must
// wait, twice as long each time, up to the longest wait. The limits by name alone and by address alone do not hold
// for an operator at an address from which they signed in before, so that strangers keep nobody out.
const (
	freeTriesTogether = 5
	freeTriesAlone    = 20
	forgetAfter       = time.Hour
)

// wrongPassword is how long one waits after wrong passwords in a row, beyond those that are free.
var wrongPassword = doubling.Wait{First: time.Second, Longest: 15 * time.Minute}

// attempt is one attempt to sign in, which was counted as a failure before the password is compared: so
// any number of attempts at once compare no more passwords than one after the other would.
type attempt struct {
	pair   string
	others []string
	at     time.Time
}

// spendAttempt counts an attempt, or refuses it. The right code of a second factor counts as a known address does.
func (s *Service) spendAttempt(ctx context.Context, who rights.Identity, hasCode bool) (attempt, error) {
	a := attempt{
		pair:   "name " + who.Name + " at " + who.Address,
		others: []string{"address " + who.Address},
		at:     s.Now(),
	}
	free := map[string]int{a.pair: freeTriesTogether, "address " + who.Address: freeTriesAlone}
	var wait time.Duration
	err := s.Do(ctx, uow.ByOperator(operation.SignIn, who, who.Name).As(""), func(tx Records, _ *uow.Work) error {
		known := hasCode
		if who.OperatorID != "" && !known {
			var err error
			if known, err = tx.KnowsAddress(who.OperatorID, who.Address); err != nil {
				return err
			}
		}
		if known { // what strangers spend is no business of theirs
			a.others = nil
		} else {
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
				f.BlockedTo = a.at.Add(wrongPassword.After(over + 1))
			}
			if err := tx.SetSignInFailure(f); err != nil {
				return err
			}
		}
		return nil
	})
	if err == nil && wait > 0 {
		err = refusal.New(refusal.TooMany, "too many wrong passwords; try again in %s",
			wait.Round(time.Second)+time.Second).
			After(wait)
	}
	return a, err
}

// giveBack takes a successful attempt out of the counts: the one of name and address begins again, the
// others are as if it had not been.
func (a attempt) giveBack(tx Records) error {
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
