package uow

import (
	"context"
	"strings"
	"time"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
)

// StrangerRecords is what is needed of the records to count refused attempts.
type StrangerRecords interface {
	Records
	CountStranger(minute time.Time, action, address, name string) error
	TakeStrangers(before time.Time) ([]store.StrangerAttempts, error)
}

// Strangers counts refused attempts of whoever is not signed in, so that they are on the trail in bounded numbers: the
// sum of a minute is one entry.
type Strangers struct {
	Room[struct{}, StrangerRecords]
}

// Refused counts a refused attempt, and gives the refusal.
func (c *Strangers) Refused(ctx context.Context, action, address, name string, refused error) error {
	err := c.DoStatement(ctx, byStrangers, func(tx StrangerRecords) error {
		return tx.CountStranger(c.Now().UTC().Truncate(time.Minute), action, shortened(address), shortened(name))
	})
	if err != nil {
		c.Log.Warn("a refused attempt could not be counted", "action", action, "error", err)
	}
	return refused
}

// byStrangers is what whoever is not signed in tried.
var byStrangers = Act{who: rights.Identity{Name: audit.Strangers}, made: true}

// shortened keeps what strangers send small.
func shortened(s string) string {
	const most = 64 // bytes
	return strings.ReplaceAll(strings.ToValidUTF8(s[:min(len(s), most)], ""), "\x00", "")
}

// Record puts the refused attempts on the trail, one entry for each minute that is over and each action.
func (c *Strangers) Record(ctx context.Context) error {
	return c.Do(ctx, byStrangers, func(tx StrangerRecords, w *Work) error {
		sums, err := tx.TakeStrangers(c.Now().UTC().Truncate(time.Minute))
		if err != nil {
			return err
		}
		for _, sum := range sums {
			w.Also(byStrangers.As(sum.Action).On("attempts"), audit.Refused, nil, map[string]any{
				"minute":    sum.Minute.UTC().Format(time.RFC3339),
				"attempts":  sum.Attempts,
				"names":     sum.Names,
				"addresses": sum.Addresses,
			})
		}
		return nil
	})
}
