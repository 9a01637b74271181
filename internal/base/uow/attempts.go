package uow

import (
	"context"
	"sync"
	"time"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/budget"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
)

// AttemptRecords is what is needed of the records to sum up refused attempts.
type AttemptRecords interface {
	Records
	CountRefused(counts map[store.Attempted]int) error
	TakeRefused(before time.Time) ([]store.RefusedAttempts, error)
}

// Attempts keeps the refused attempts of one person, or one device, on the trail in bounded numbers: some are told one
// by one, and the sum of a minute is one entry.
type Attempts struct {
	Room[struct{}, AttemptRecords]
	Told *budget.Purses // attempts of a person that are told one by one

	mu     sync.Mutex
	counts map[store.Attempted]int // that are not in the database yet
}

// TooMany counts an attempt for the sum of its minute, and refuses it: there were too many. It costs next to
// nothing, however many come.
func (c *Attempts) TooMany(who rights.Identity, action string, again time.Duration) error {
	c.add(map[store.Attempted]int{{Minute: c.Now().UTC().Truncate(time.Minute), Actor: who.Name, Action: action}: 1})
	return refusal.New(refusal.TooMany, "that is more than one person, or one device, may ask for in so short a time; "+
		"try again in %s", max(again.Round(time.Second), time.Second)).After(again).WithCode("too_many_requests")
}

// AttemptsSummed is what the trail calls the sum of a minute.
const AttemptsSummed = "attempts.summed"

// taken are the counts, which begin anew.
func (c *Attempts) taken() map[store.Attempted]int {
	c.mu.Lock()
	defer c.mu.Unlock()
	counts := c.counts
	c.counts = nil
	return counts
}

// Record stores what was counted, and puts the sums on the trail: one entry for each minute that is over and each
// person or device.
func (c *Attempts) Record(ctx context.Context) error {
	counted := c.taken()
	err := c.Do(ctx, Upkeep(), func(tx AttemptRecords, w *Work) error {
		if err := tx.CountRefused(counted); err != nil {
			return err
		}
		sums, err := tx.TakeRefused(c.Now().UTC().Truncate(time.Minute))
		if err != nil {
			return err
		}
		for _, sum := range sums {
			act := Act{who: rights.Identity{Name: sum.Actor}, action: AttemptsSummed, object: "attempts", made: true}
			w.Also(act, audit.Refused, nil, map[string]any{
				"minute": sum.Minute.UTC().Format(time.RFC3339), "attempts": sum.Attempts, "actions": sum.Actions,
			})
		}
		return nil
	})
	if err != nil {
		c.add(counted) // the next time
	}
	return err
}

// add adds to what was counted.
func (c *Attempts) add(counts map[store.Attempted]int) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.counts == nil {
		c.counts = map[store.Attempted]int{}
	}
	for what, n := range counts {
		c.counts[what] += n
	}
}
