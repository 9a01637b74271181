package store

import "context"

// Of is a store as one room sees it: records of the type R, an interface that [Tx] has.
type Of[R any] struct{ *Store }

// For gives a room the records that it needs.
func For[R any](s *Store) Of[R] { return Of[R]{s} }

// InTx is [Store.InTx].
func (o Of[R]) InTx(ctx context.Context, do func(tx R) error) error {
	return o.Store.InTx(ctx, func(tx Tx) error { return do(any(tx).(R)) })
}

// InSnapshot is [Store.InSnapshot].
func (o Of[R]) InSnapshot(ctx context.Context, do func(tx R) error) error {
	return o.Store.InSnapshot(ctx, func(tx Tx) error { return do(any(tx).(R)) })
}

// With is [Store.With].
func (o Of[R]) With(ctx context.Context) R { return any(o.Store.With(ctx)).(R) }
