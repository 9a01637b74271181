// Package batch coalesces concurrent calls: while some are being served, those that arrive are gathered, and then
// served together. A lone call runs at once.
package batch

import (
	"context"
	"fmt"
	"runtime/debug"
	"slices"
	"sync"
	"time"
)

const (
	atOnce = 2   // batches at the same time
	most   = 100 // items of one batch
	// limit is how long a batch may take: one that hangs must not hold up those that arrive afterwards.
	limit = 30 * time.Second
)

// Gather gathers items of one kind. The zero Gather is ready to use.
type Gather[T any] struct {
	mu      sync.Mutex
	waiting []entry[T]
	going   int
}

type entry[T any] struct {
	ctx  context.Context
	key  string
	item T
	done chan error
}

// Do calls work with an item, alone or with those of concurrent calls. Two items of the same key are never in one
// batch, and keep their order. Work returns an error, or nil, for each item. Its context has the values of one of the
// calls, and ends after 30 s, not with the calls. When ctx ends first, Do returns its error, and the work may be done
// all the same.
func (g *Gather[T]) Do(
	ctx context.Context, key string, item T, work func(ctx context.Context, items []T) []error,
) error {
	e := entry[T]{context.WithoutCancel(ctx), key, item, make(chan error, 1)}
	g.mu.Lock()
	g.waiting = append(g.waiting, e)
	if g.going < atOnce {
		g.going++
		go g.drain(work)
	}
	g.mu.Unlock()
	select {
	case err := <-e.done:
		return err
	case <-ctx.Done():
		return ctx.Err()
	}
}

// drain serves batches until nothing waits.
func (g *Gather[T]) drain(work func(ctx context.Context, items []T) []error) {
	for {
		g.mu.Lock()
		entries := g.next()
		if len(entries) == 0 {
			g.going--
			g.mu.Unlock()
			return
		}
		g.mu.Unlock()
		items := make([]T, len(entries))
		for i, e := range entries {
			items[i] = e.item
		}
		ctx, cancel := context.WithTimeout(entries[0].ctx, limit)
		for i, err := range safely(ctx, items, work) {
			entries[i].done <- err
		}
		cancel()
	}
}

// next removes the items of one batch from those that wait.
func (g *Gather[T]) next() []entry[T] {
	var taken []entry[T]
	keys := map[string]bool{}
	g.waiting = slices.DeleteFunc(g.waiting, func(e entry[T]) bool {
		if len(taken) == most || keys[e.key] {
			return false
		}
		keys[e.key] = true
		taken = append(taken, e)
		return true
	})
	return taken
}

// safely turns a panic into an error of each item.
func safely[T any](ctx context.Context, items []T, work func(ctx context.Context, items []T) []error) (errs []error) {
	defer func() {
		if r := recover(); r != nil {
			errs = slices.Repeat([]error{fmt.Errorf("a panic was caught: %v\n%s", r, debug.Stack())}, len(items))
		}
	}()
	return work(ctx, items)
}

// Isolate calls do with all items, such as to store them in one transaction. When that fails because of single items,
// by what spoilt says of the error, it calls do with each half, until those items are alone. It returns an error, or
// nil, for each item.
func Isolate[T any](items []T, spoilt func(err error) bool, do func(items []T) ([]error, error)) []error {
	errs, err := do(items)
	if err == nil {
		return errs
	}
	if half := len(items) / 2; half > 0 && spoilt(err) {
		return append(Isolate(items[:half], spoilt, do), Isolate(items[half:], spoilt, do)...)
	}
	return slices.Repeat([]error{err}, len(items))
}
