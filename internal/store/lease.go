package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
)

// Locks of [Store.Exclusively].
const (
	LockSettle    = 8470_3
	LockDirectory = 8470_4
	LockRotations = 8470_5
	LockRetention = 8470_6
	LockRollouts  = 8470_7
	LockNotify    = 8470_8
	LockReseal    = 8470_9
	LockLearning  = 8470_10
)

// A turn is a lease: a row with its holder, a fence and an end. It is renewed while its holder lives, and another
// replica takes it once it has ended, whatever became of the holder: a host that vanished, or a process that was
// frozen.
const (
	leaseFor   = 10 * time.Second
	renewEvery = 2 * time.Second
	// givesUp is how long after the last renewal a holder stops by itself, before anybody else may begin.
	givesUp = leaseFor - renewEvery
)

// ErrFenced is given to whoever lost a lease that another replica may have now.
var ErrFenced = errors.New("another replica does this now; the lease was not renewed in time")

// fence is the number under which a lease is held. It grows each time, so that whoever lost the lease without knowing
// can change nothing any more.
type fence struct {
	lock   int
	number int64
}

type fenceKey struct{}

// Exclusively runs do while no other replica holds the lease; it is false when another one does. The context that do
// gets ends with [ErrFenced] as its cause when the lease cannot be renewed, and every transaction under it is refused
// with [ErrFenced] once another replica took the lease.
func (s *Store) Exclusively(ctx context.Context, lock int, do func(ctx context.Context) error) (bool, error) {
	ctx = ForJobs(ctx)
	number, err := s.takeLease(ctx, lock)
	if err != nil || number == 0 {
		return false, err
	}
	held := fence{lock, number}
	working, cancel := context.WithCancelCause(context.WithValue(ctx, fenceKey{}, held))
	renewed := make(chan struct{})
	go func() {
		defer close(renewed)
		s.renew(working, held, cancel)
	}()
	err = do(working)
	if lost := context.Cause(working); errors.Is(lost, ErrFenced) && err != nil {
		err = lost
	}
	cancel(nil)
	<-renewed
	ending, end := context.WithTimeout(context.WithoutCancel(ctx), limitsOf[keeping].statement)
	defer end()
	_, _ = s.keeping.Exec(ending, // what fails ends by itself
		"update fences set ends_at = '-infinity' where lock = $1 and number = $2", lock, number)
	return true, err
}

// takeLease gives the fence under which this replica holds a lease from now on, 0 while another one does.
func (s *Store) takeLease(ctx context.Context, lock int) (number int64, err error) {
	var former string
	var ended bool
	err = s.keeping.QueryRow(ctx, "select holder, ends_at <= clock_timestamp() from fences where lock = $1", lock).
		Scan(&former, &ended)
	switch {
	case errors.Is(err, pgx.ErrNoRows):
		_, err = s.keeping.Exec(ctx, "insert into fences (lock, number, holder, ends_at) values ($1, 0, '', "+
			"'-infinity') on conflict do nothing", lock)
		if err != nil {
			return 0, fmt.Errorf("taking a lease: %w", err)
		}
	case err != nil:
		return 0, fmt.Errorf("taking a lease: %w", err)
	case !ended:
		return 0, nil
	}
	// The lock for update waits for transactions that the former holder still has open under its fence.
	err = pgx.BeginFunc(ctx, s.keeping, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, "select true from fences where lock = $1 and ends_at <= clock_timestamp() for update",
			lock).Scan(&ended)
		if errors.Is(err, pgx.ErrNoRows) {
			return nil // another one was faster
		}
		if err != nil {
			return err
		}
		return tx.QueryRow(ctx, "update fences set number = number + 1, holder = $2, "+
			"ends_at = clock_timestamp() + $3::interval where lock = $1 returning number", lock, s.replica, leaseFor).
			Scan(&number)
	})
	if FaultOf(err) == Conflict {
		return 0, s.evict(ctx, former)
	}
	if err != nil {
		return 0, fmt.Errorf("taking a lease: %w", err)
	}
	return number, nil
}

// evict ends the transactions for jobs that a replica left open longer than any lease of its own lasted. They were lost
// with it, or it is frozen: what it does when it comes back is refused.
func (s *Store) evict(ctx context.Context, replica string) error {
	_, err := s.keeping.Exec(ctx, `select pg_terminate_backend(pid) from pg_stat_activity
		where application_name = $1 and datname = current_database() and xact_start < clock_timestamp() - $2::interval`,
		s.sessionsOf(jobs, replica), leaseFor)
	if err != nil {
		return fmt.Errorf("ending what a replica that is gone left open: %w", err)
	}
	return nil
}

// renew renews a lease until the context ends, and ends it when that cannot be done in time.
func (s *Store) renew(ctx context.Context, held fence, lost context.CancelCauseFunc) {
	last := time.Now()
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(renewEvery):
		}
		trying, end := context.WithDeadline(ctx, last.Add(givesUp))
		began := time.Now()
		done, err := s.keeping.Exec(trying, "update fences set ends_at = clock_timestamp() + $3::interval "+
			"where lock = $1 and number = $2 and ends_at > clock_timestamp()", held.lock, held.number, leaseFor)
		end()
		switch {
		case err == nil && done.RowsAffected() == 1:
			last = began
		case err == nil, time.Since(last) >= givesUp:
			lost(ErrFenced)
			return
		}
	}
}

// fenced refuses a transaction whose lease another replica has taken; while it is open, none can.
func (t conn) fenced(ctx context.Context) error {
	held, ok := ctx.Value(fenceKey{}).(fence)
	if !ok {
		return nil
	}
	found, err := rows[int64](t, "select number from fences where lock = $1 for key share", held.lock)
	if err == nil && (len(found) == 0 || found[0] != held.number) {
		err = ErrFenced
	}
	return err
}
