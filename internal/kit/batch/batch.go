// Package batch does what many ask for at the same time in few goes: who comes while others are being served waits,
// and is served with everybody else who came meanwhile. Alone, nobody waits for company.
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
	atOnce = 2   // goes at the same time
	most   = 100 // items of one go
	// limit is how long a go may take: what hangs must not hold up whoever comes afterwards.
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

// Do has work done on an item, by itself or with others; two of the same key are never in one go, and keep their order.
// Work gives an error, or nil, for each of its items; it has the values of the context of one of them, and goes on when
// that one ends, for half a minute at most. The error is that of the context where it ended first: then the work may be
// done all the same.
func (g *Gather[T]) Do(
	ctx context.Context, key string, item T, work func(ctx context.Context, items []T) []error,
) error {
	e := entry[T]{context.WithoutCancel(ctx), key, item, make(chan error, 1)}
	g.mu.Lock()
	g.waiting = append(g.waiting, e)
	if g.going < atOnce {
		g.going++
		go g.goOn(work)
	}
	g.mu.Unlock()
	select {
	case err := <-e.done:
		return err
	case <-ctx.Done():
		return ctx.Err()
	}
}

// goOn serves whatever waits until nobody does.
func (g *Gather[T]) goOn(work func(ctx context.Context, items []T) []error) {
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

// next takes the items of one go out of those that wait.
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

// safely makes an error of everybody out of a panic.
func safely[T any](ctx context.Context, items []T, work func(ctx context.Context, items []T) []error) (errs []error) {
	defer func() {
		if r := recover(); r != nil {
			errs = slices.Repeat([]error{fmt.Errorf("a panic was caught: %v\n%s", r, debug.Stack())}, len(items))
		}
	}()
	return work(ctx, items)
}

// Apart does something with all items at once, such as in one transaction. Where some of them spoil that for the
// others, it is done with each half by itself, until those are alone. It gives an error, or nil, for each item.
func Apart[T any](items []T, spoilt func(err error) bool, do func(items []T) ([]error, error)) []error {
	errs, err := do(items)
	if err == nil {
		return errs
	}
	if half := len(items) / 2; half > 0 && spoilt(err) {
		return append(Apart(items[:half], spoilt, do), Apart(items[half:], spoilt, do)...)
	}
	return slices.Repeat([]error{err}, len(items))
}
