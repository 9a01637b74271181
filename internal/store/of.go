package store

import "context"

// Of is a store as one room sees it: what it reads and what it writes, as two interfaces of its own.
type Of[R, W any] struct {
	store *Store
	read  func(r Reader) R
	write func(w Writer) W
}

// For gives a room the records that it needs. read and write only say that the records have it:
//
//	store.For(s, func(r store.Reader) Reads { return r }, func(w store.Writer) Records { return w })
func For[R, W any](s *Store, read func(r Reader) R, write func(w Writer) W) Of[R, W] {
	return Of[R, W]{s, read, write}
}

// ForDoor is [For] for the door, the only one that writes what is in force. A test of the house finds who else asks.
func ForDoor[R, W any](s *Store, read func(r Reader) R, write func(w DoorWriter) W) Of[R, W] {
	return Of[R, W]{s, read, func(w Writer) W { return write(DoorWriter{w, InForceWriter{conn{w.session()}}}) }}
}

// InTx is [Store.InTx].
func (o Of[R, W]) InTx(ctx context.Context, do func(tx W) error) error {
	return o.store.InTx(ctx, func(tx Writer) error { return do(o.write(tx)) })
}

// InStatements is [Store.InStatements].
func (o Of[R, W]) InStatements(ctx context.Context, do func(tx W) error) error {
	return o.store.InStatements(ctx, func(tx Writer) error { return do(o.write(tx)) })
}

// InSnapshot is [Store.InSnapshot].
func (o Of[R, W]) InSnapshot(ctx context.Context, do func(tx R) error) error {
	return o.store.InSnapshot(ctx, func(tx Reader) error { return do(o.read(tx)) })
}

// With is [Store.With].
func (o Of[R, W]) With(ctx context.Context) R { return o.read(o.store.With(ctx)) }
