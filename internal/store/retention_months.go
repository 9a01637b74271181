package store

import (
	"fmt"
	"time"
)

// monthsAhead is for how many months to come tables are ready. What comes later still has a place too.
const monthsAhead = 2

// Months is a table whose records are kept by the month, see the migration that made them.
type Months struct {
	table, What string
	Older       time.Duration // how long ago a month must have ended to go
}

// Months come in the order in which their months go: what a report says before the report, by which it is found.
func (k RetentionPeriods) Months() []Months {
	return []Months{
		{"report_bodies", "months of reports", k.Reports},
		{"device_reports", "months of reports", k.Reports},
		{"daily_bodies", "months of daily reports", k.DailyReports},
		{"daily_reports", "months of daily reports", k.DailyReports},
		{"device_events", "months of device events", k.Events},
		{"desired_states", "months of desired states", k.DesiredStates},
		{"findings", "months of findings", k.Findings},
	}
}

// ExtendMonths makes the months to come. A lock is waited for only briefly, since everybody after it waits as long;
// what is then refused may be tried again.
func (t RetentionWriter) ExtendMonths(m Months, now time.Time) error {
	if err := t.takesItsTime(); err != nil {
		return err
	}
	_, err := one[int64](t, "select history_extend($1, $2::date)", m.table, dayOf(now.AddDate(0, monthsAhead, 0)))
	if err != nil {
		return fmt.Errorf("making months for %s: %w", m.table, err)
	}
	return nil
}

// DropMonths drops the months that are no longer kept, but for what devices have now, and gives their number. Locks are
// waited for as in [RetentionWriter.ExtendMonths].
func (t RetentionWriter) DropMonths(m Months, now time.Time) (int64, error) {
	if err := t.takesItsTime(); err != nil {
		return 0, err
	}
	n, err := one[int64](t, "select cardinality(history_drop($1, $2::date))", m.table, dayOf(now.Add(-m.Older)))
	if err != nil {
		return 0, fmt.Errorf("dropping months of %s: %w", m.table, err)
	}
	return n, nil
}

// dayOf is a day (UTC) as PostgreSQL reads it, so that no time zone moves it.
func dayOf(at time.Time) string { return at.UTC().Format(time.DateOnly) }

// takesItsTime lets the statements of a transaction take as long as they take. Locks are waited for briefly.
func (t conn) takesItsTime() error {
	return t.exec("select set_config('statement_timeout', '0', true), set_config('lock_timeout', $1, true)",
		milliseconds(lockLimit))
}
