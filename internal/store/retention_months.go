package store

import (
	"context"
	"fmt"
	"time"
)

// monthsAhead is for how many months to come tables are ready. What comes later still has a place too.
const monthsAhead = 2

// tableOfMonths is one whose records are kept by the month, see the migration that made them.
type tableOfMonths struct {
	table, what string
	older       time.Duration // how long ago a month must have ended to go
}

// tablesOfMonths come in the order in which their months go: what a report says before the report, by which it is found.
func tablesOfMonths(k RetentionPeriods) []tableOfMonths {
	return []tableOfMonths{
		{"report_bodies", "months of reports", k.Reports},
		{"device_reports", "months of reports", k.Reports},
		{"daily_bodies", "months of daily reports", k.DailyReports},
		{"daily_reports", "months of daily reports", k.DailyReports},
		{"device_events", "months of device events", k.Events},
		{"desired_states", "months of desired states", k.DesiredStates},
		{"findings", "months of findings", k.Findings},
	}
}

// extendMonths makes the months to come.
func (s *Store) extendMonths(ctx context.Context, kept RetentionPeriods, now time.Time) error {
	for _, t := range tablesOfMonths(kept) {
		_, err := s.altered(ctx, "select history_extend(?, ?::date)", t.table, dayOf(now.AddDate(0, monthsAhead, 0)))
		if err != nil {
			return fmt.Errorf("making months for %s: %w", t.table, err)
		}
	}
	return nil
}

// dropMonths drops the months that are no longer kept, but for what devices have now.
func (s *Store) dropMonths(ctx context.Context, kept RetentionPeriods, now time.Time, gone map[string]int64) error {
	for _, t := range tablesOfMonths(kept) {
		n, err := s.altered(ctx, "select cardinality(history_drop(?, ?::date))", t.table, dayOf(now.Add(-t.older)))
		if err != nil {
			return fmt.Errorf("dropping months of %s: %w", t.table, err)
		}
		gone[t.what] += n
	}
	return nil
}

// dayOf is a day (UTC) as PostgreSQL reads it, so that no time zone moves it.
func dayOf(at time.Time) string { return at.UTC().Format(time.DateOnly) }

// altered runs a function that alters the schema, and gives the number of months that it made or dropped. It takes as long as
// it takes, but whoever holds a table is waited for only briefly, since everybody after it waits as long.
func (s *Store) altered(ctx context.Context, query string, args ...any) (months int64, err error) {
	const tries = 5
	for range tries {
		err = s.InTx(ctx, func(tx Tx) error {
			if err := tx.takesItsTime(); err != nil {
				return err
			}
			months, err = one[int64](tx, query, args...)
			return err
		})
		if FaultOf(err) != Conflict {
			break
		}
	}
	return months, err
}

// takesItsTime lets the statements of a transaction take as long as they take. Locks are waited for briefly.
func (t Tx) takesItsTime() error {
	return t.exec("select set_config('statement_timeout', '0', true), set_config('lock_timeout', $1, true)", milliseconds(lockLimit))
}
