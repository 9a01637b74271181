package store

import (
	"context"
	"errors"
	"time"
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
)

// ErrFenced is given to whoever lost a lock that another replica may have now.
var ErrFenced = errors.New("another replica does this now; the lock was lost with the connection that held it")

// fence is the number under which a lock is held. It grows each time, so that whoever lost the lock
// without knowing can change nothing any more.
type fence struct {
	lock   int
	number int64
}

type fenceKey struct{}

// Exclusively runs do while no other replica holds the lock; it is false when another one does. Every
// transaction under the context that do gets is refused with [ErrFenced] once another replica took the lock.
func (s *Store) Exclusively(ctx context.Context, lock int, do func(ctx context.Context) error) (bool, error) {
	ctx = ForJobs(ctx)
	conn, err := s.jobs.Acquire(ctx)
	if err != nil {
		return false, err
	}
	defer conn.Release()
	var mine bool
	if err := conn.QueryRow(ctx, "select pg_try_advisory_lock($1)", lock).Scan(&mine); err != nil || !mine {
		return false, err
	}
	defer func() {
		ending, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		defer cancel()
		if _, err := conn.Exec(ending, "select pg_advisory_unlock($1)", lock); err != nil {
			_ = conn.Conn().Close(ending) // the lock goes with the connection
		}
	}()
	held := fence{lock: lock}
	if err := conn.QueryRow(ctx, "insert into fences (lock, number) values ($1, 1) on conflict (lock) do update set "+
		"number = fences.number + 1 returning number", lock).Scan(&held.number); err != nil {
		return false, err
	}
	return true, do(context.WithValue(ctx, fenceKey{}, held))
}

// fenced refuses a transaction whose lock another replica has taken; while it is open, none can.
func (t Tx) fenced(ctx context.Context) error {
	held, ok := ctx.Value(fenceKey{}).(fence)
	if !ok {
		return nil
	}
	found, err := rows[int64](t, "select number from fences where lock = ? for share", held.lock)
	if err == nil && (len(found) == 0 || found[0] != held.number) {
		err = ErrFenced
	}
	return err
}
