// Package retention deletes what is no longer kept.
package retention

import (
	"context"
	"slices"
	"time"

	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

const day = 24 * time.Hour

// DefaultKept is how long records are kept unless settings say otherwise. What is needed to say what a
// device had on a day is kept for a year. The trail, and the views of passwords that it proves, are kept for ever.
var DefaultKept = store.RetentionPeriods{
	Reports: 30 * day, DailyReports: 366 * day, Events: 366 * day, DesiredStates: 366 * day, Findings: 366 * day,
	Orders:  90 * day,
	Changes: 3 * 366 * day, Attempts: day, Notifications: 30 * day, Inventories: 366 * day,
}

// Reads is what this room reads of the records. [store.Reader] has it.
type Reads interface {
	DayToKeep(until time.Time) (time.Time, error)
	UnusedDigests(u store.Unused, before time.Time) ([]string, error)
}

// Records is what it reads and writes of them in a unit of work. [store.Writer] has it.
type Records interface {
	Reads
	uow.Records

	DeleteOld(k store.Kept, now time.Time) (int64, error)
	DeleteUnused(u store.Unused, digests []string, before time.Time) (int64, error)
	DropMonths(m store.Months, now time.Time) (int64, error)
	ExtendMonths(m store.Months, now time.Time) error
	KeepDay(from time.Time, all bool) error
}

// Service is the room; every field must be set.
type Service struct {
	uow.Room[Reads, Records]
	Locks uow.Locks
	Kept  store.RetentionPeriods
	// Forget forgets what other rooms no longer keep.
	Forget func(ctx context.Context) error
}

// Prune deletes what is no longer kept; ran is false where another replica is at it. It may be cut anywhere: the next
// turn goes on from there.
func (s *Service) Prune(ctx context.Context) (ran bool, err error) {
	return s.Locks.Exclusively(store.ForJobs(ctx), store.LockRetention, func(ctx context.Context) error {
		start, gone := time.Now(), map[string]int64{}
		var err error
		for _, step := range []func(ctx context.Context, gone map[string]int64) error{
			s.extendMonths, s.keepDays, s.dropMonths, s.deleteOld, s.deleteUnused,
		} {
			if err = step(ctx, gone); err != nil {
				break
			}
		}
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
}

// in does a part of it in a transaction of its own.
func (s *Service) in(ctx context.Context, do func(tx Records) error) error {
	return s.Do(ctx, uow.Upkeep(), func(tx Records, _ *uow.Work) error { return do(tx) })
}

// patiently does what alters the schema, and tries again where somebody held a table for too long.
func (s *Service) patiently(ctx context.Context, do func(tx Records) error) (err error) {
	const tries = 5
	for range tries {
		if err = s.in(ctx, do); store.FaultOf(err) != store.Conflict {
			break
		}
	}
	return err
}

// extendMonths makes the months to come.
func (s *Service) extendMonths(ctx context.Context, _ map[string]int64) error {
	for _, m := range s.Kept.Months() {
		if err := s.patiently(ctx, func(tx Records) error { return tx.ExtendMonths(m, s.Now()) }); err != nil {
			return err
		}
	}
	return nil
}

// keepDays copies the last report of each day of each device to where such are kept for longer, for the days that are
// over and about to go.
func (s *Service) keepDays(ctx context.Context, _ map[string]int64) error {
	now := s.Now()
	until := now.Add(-s.Kept.Reports).UTC().Truncate(store.Day)
	for {
		from, err := s.Read(ctx).DayToKeep(until)
		if err != nil || !from.Before(until) {
			return err
		}
		// Of what is too old for that too, only what devices report now.
		all := !from.Before(now.Add(-s.Kept.DailyReports))
		if err := s.in(ctx, func(tx Records) error { return tx.KeepDay(from, all) }); err != nil {
			return err
		}
	}
}

// dropMonths drops the months that are no longer kept, but for what devices have now.
func (s *Service) dropMonths(ctx context.Context, gone map[string]int64) error {
	for _, m := range s.Kept.Months() {
		var n int64
		err := s.patiently(ctx, func(tx Records) (err error) {
			n, err = tx.DropMonths(m, s.Now())
			return err
		})
		if err != nil {
			return err
		}
		gone[m.What] += n
	}
	return nil
}

// deleteOld deletes what goes one by one, a batch at a time.
func (s *Service) deleteOld(ctx context.Context, gone map[string]int64) error {
	now := s.Now()
	for _, k := range s.Kept.Records() {
		for n := int64(store.RetentionBatch); n == store.RetentionBatch; gone[k.What] += n {
			err := s.in(ctx, func(tx Records) (err error) {
				n, err = tx.DeleteOld(k, now)
				return err
			})
			if err != nil {
				return err
			}
		}
	}
	return nil
}

// deleteUnused deletes what devices are told and why, where no device was for a day.
func (s *Service) deleteUnused(ctx context.Context, gone map[string]int64) error {
	unused := s.Now().Add(-store.Day)
	for _, u := range store.UnusedTables {
		digests, err := s.Read(ctx).UnusedDigests(u, unused)
		if err != nil {
			return err
		}
		for part := range slices.Chunk(digests, store.RetentionBatch) {
			err := s.in(ctx, func(tx Records) error {
				n, err := tx.DeleteUnused(u, part, unused)
				gone[u.Table] += n
				return err
			})
			if err != nil {
				return err
			}
		}
	}
	return nil
}
