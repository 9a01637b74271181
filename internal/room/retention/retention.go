// Package retention deletes what is no longer kept.
package retention

import (
	"context"
	"log/slog"
	"time"

	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

const day = 24 * time.Hour

// DefaultKept is how long records are kept unless settings say otherwise. What is needed to say what a
// device had on a day is kept for a year. The trail, and the views of passwords that it proves, are kept for ever.
var DefaultKept = store.RetentionPeriods{
	Reports: 30 * day, DailyReports: 366 * day, Events: 366 * day, DesiredStates: 366 * day, Findings: 366 * day, Orders: 90 * day,
	Changes: 3 * 366 * day, Attempts: day, Notifications: 30 * day,
}

// Service is the room; every field must be set.
type Service struct {
	Log    *slog.Logger
	Now    func() time.Time
	Locks  uow.Locks
	Pruner Pruner
	Kept   store.RetentionPeriods
	// Forget lets go of what other rooms no longer keep.
	Forget func(ctx context.Context) error
}

// Pruner deletes what is no longer kept, and says how much of what.
type Pruner interface {
	Prune(ctx context.Context, kept store.RetentionPeriods, now time.Time) (map[string]int64, error)
}

// Prune deletes what is no longer kept, unless another replica is at it.
func (s *Service) Prune(ctx context.Context) error {
	_, err := s.Locks.Exclusively(ctx, store.LockRetention, func(ctx context.Context) error {
		start := time.Now()
		gone, err := s.Pruner.Prune(ctx, s.Kept, s.Now())
		if err == nil {
			err = s.Forget(ctx)
		}
		all := int64(0)
		for _, n := range gone {
			all += n
		}
		if all > 0 {
			s.Log.Info("deleted what is no longer kept", "records", gone, "took", time.Since(start))
		}
		return err
	})
	return err
}
