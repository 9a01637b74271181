package access

import (
	"context"
	"runtime"
	"time"

	"golang.org/x/sync/semaphore"

	"rankwarden.example/internal/base/auth"
	"rankwarden.example/internal/base/refusal"
)

// hashing bounds how many passwords are hashed at once: each takes 64 MiB and a good part of a second.
type hashing struct {
	*auth.Hashing
	queue *semaphore.Weighted // a place for each that waits or works
	slots *semaphore.Weighted // a place for each that works
}

const hashingQueue = 32

func newHashing(of *auth.Hashing) *hashing {
	return &hashing{of, semaphore.NewWeighted(hashingQueue),
		semaphore.NewWeighted(int64(max(1, runtime.GOMAXPROCS(0)/2)))}
}

// do waits for a place, and refuses when too many wait.
func (h *hashing) do(ctx context.Context, work func()) error {
	if !h.queue.TryAcquire(1) {
		return refusal.New(refusal.TooMany, "too many people are signing in just now; try again in a moment").
			After(2 * time.Second)
	}
	defer h.queue.Release(1)
	if err := h.slots.Acquire(ctx, 1); err != nil {
		return err
	}
	defer h.slots.Release(1)
	work()
	return nil
}

func (h *hashing) compare(ctx context.Context, password, hash string) (right bool, err error) {
	err = h.do(ctx, func() { right = h.Check(password, hash) })
	return right, err
}

// hash hashes a new password, which stands at a place of the request.
func (s *Service) hash(ctx context.Context, place, password string) (hash string, err error) {
	var weak error
	if err := s.passwords.do(ctx, func() { hash, weak = s.passwords.Hash(password) }); err != nil {
		return "", err
	}
	if weak != nil {
		return "", refusal.New(refusal.Invalid, "%v", weak).At(place)
	}
	return hash, nil
}
