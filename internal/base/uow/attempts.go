package uow

import (
	"context"
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
	CountRefused(minute time.Time, actor, action string) error
	TakeRefused(before time.Time) ([]store.RefusedAttempts, error)
}

// Attempts keeps the refused attempts of one person, or one device, on the trail in bounded numbers: some are told one
// by one, and the sum of a minute is one entry.
type Attempts struct {
	Room[struct{}, AttemptRecords]
	Told *budget.Purses // attempts of a person that are told one by one
}

// TooMany counts an attempt for the sum of its minute, and refuses it: there were too many.
func (c *Attempts) TooMany(ctx context.Context, who rights.Identity, action string, again time.Duration) error {
	err := c.DoStatement(ctx, Upkeep(), func(tx AttemptRecords) error {
		return tx.CountRefused(c.Now().UTC().Truncate(time.Minute), who.Name, action)
	})
	if err != nil {
		c.Log.Warn("a refused attempt could not be counted", "action", action, "error", err)
	}
	return refusal.New(refusal.TooMany, "that is more than one person, or one device, may ask for in so short a time; "+
		"try again in %s", max(again.Round(time.Second), time.Second)).After(again).WithCode("too_many_requests")
}

// AttemptsSummed is what the trail calls the sum of a minute.
const AttemptsSummed = "attempts.summed"

// Record puts the sums on the trail, one entry for each minute that is over and each person or device.
func (c *Attempts) Record(ctx context.Context) error {
	return c.Do(ctx, Upkeep(), func(tx AttemptRecords, w *Work) error {
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
}
