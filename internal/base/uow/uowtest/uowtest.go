// Package uowtest has what the tests of rooms need: a trail in memory, and a database that runs transactions on the
// records of a test.
package uowtest

import (
	"context"
	"errors"
	"log/slog"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
)

// Trail keeps what units of work write. Embed it in the records of a test.
type Trail struct {
	Entries  []audit.Entry
	Notices  []notices.Notice
	Requests []store.SettleRequest
}

// AppendAudit implements [uow.Records].
func (t *Trail) AppendAudit(entries ...audit.Entry) error {
	t.Entries = append(t.Entries, entries...)
	return nil
}

// Notify implements [uow.Records].
func (t *Trail) Notify(n notices.Notice) error { t.Notices = append(t.Notices, n); return nil }

// RequestSettle implements [uow.Records].
func (t *Trail) RequestSettle(r store.SettleRequest) error {
	t.Requests = append(t.Requests, r)
	return nil
}

// Told reports whether replicas are told of a topic.
func (t *Trail) Told(topic string) bool {
	return slices.ContainsFunc(t.Notices, func(n notices.Notice) bool { return n.Topic == topic })
}

// database runs transactions on records in memory. Of one that fails it takes the trail back, not the records.
type database[R any, W uow.Records] struct {
	reads   R
	records W
	trail   *Trail
}

func (d database[R, W]) InTx(_ context.Context, do func(tx W) error) error {
	before := *d.trail
	err := do(d.records)
	if err != nil {
		*d.trail = before
	}
	return err
}

func (d database[R, W]) InStatements(_ context.Context, do func(tx W) error) error {
	return do(d.records)
}

func (d database[R, W]) InSnapshot(_ context.Context, do func(tx R) error) error { return do(d.reads) }
func (d database[R, W]) With(context.Context) R                                  { return d.reads }

// Now is the time in the rooms of tests.
var Now = time.Date(2026, 5, 4, 9, 0, 0, 0, time.UTC)

// Room is a room over the records of a test, which are given for reading and for writing, with their trail. The clock
// stands still.
func Room[R any, W uow.Records](reads R, records W, trail *Trail) uow.Room[R, W] {
	return uow.NewRoom(database[R, W]{reads, records, trail}, uow.Env{
		Log:      slog.New(slog.DiscardHandler),
		Now:      func() time.Time { return Now },
		Interval: time.Minute,
	})
}

// Over is a room over a real database, by the clock of the machine.
func Over[R any, W uow.Records](
	db *store.Store, read func(r store.Reader) R, write func(w store.Writer) W,
) uow.Room[R, W] {
	return uow.NewRoom(store.For(db, read, write),
		uow.Env{Log: slog.New(slog.DiscardHandler), Now: time.Now, Interval: time.Minute})
}

// Door is [Over] for the room that writes what is in force.
func Door[R any, W uow.Records](
	db *store.Store, read func(r store.Reader) R, write func(w store.DoorWriter) W,
) uow.Room[R, W] {
	return uow.NewRoom(store.ForDoor(db, read, write),
		uow.Env{Log: slog.New(slog.DiscardHandler), Now: time.Now, Interval: time.Minute})
}

// View is the fleet of a real database as it stands now, which follows until the test ends.
func View(t testing.TB, db *store.Store, hub *notices.Hub) *fleetview.View {
	view := fleetview.New()
	go view.Run(t.Context(), db, hub, slog.New(slog.DiscardHandler), time.Now)
	require.NoError(t, view.Loaded(t.Context()))
	return view
}

// Strangers counts refused attempts in a real database.
func Strangers(db *store.Store) *uow.Strangers {
	return &uow.Strangers{Room: Over(db, func(store.Reader) struct{} { return struct{}{} },
		func(w store.Writer) uow.StrangerRecords { return w })}
}

// Code is how something ended: "done", the code of a refusal, or the words of any other error.
func Code(err error) string {
	var refused *refusal.Error
	switch {
	case err == nil:
		return "done"
	case errors.As(err, &refused):
		return refused.Code
	}
	return err.Error()
}
