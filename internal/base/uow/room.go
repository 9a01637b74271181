// Package uow is one unit of work: it declares who does something and with which right, runs it in one transaction,
// and writes with it what the trail says, which devices are settled again, and what other replicas are told. A room
// of the service does nothing that changes records in any other way.
package uow

import (
	"cmp"
	"context"
	"errors"
	"log/slog"
	"time"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/kit/tracing"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
)

// Records is what a unit of work itself writes.
type Records interface {
	AppendAudit(entries ...audit.Entry) error
	Notify(n notices.Notice) error
	RequestSettle(r store.SettleRequest) error
}

// Database gives a room the records that it needs: R to read, W to read and write. [store.For] makes one; tests have a
// fake.
type Database[R any, W Records] interface {
	// InTx runs do in one transaction, which is rolled back when do returns an error.
	InTx(ctx context.Context, do func(tx W) error) error
	// InStatements runs do with what writes, outside of a transaction: each statement is stored by itself.
	InStatements(ctx context.Context, do func(tx W) error) error
	// InSnapshot runs do in one read-only transaction that sees the database as of one moment.
	InSnapshot(ctx context.Context, do func(tx R) error) error
	// With reads outside of a transaction.
	With(ctx context.Context) R
}

// Locks runs what only one replica may do at a time.
type Locks interface {
	Exclusively(ctx context.Context, lock int, do func(ctx context.Context) error) (bool, error)
}

// Room is embedded in every room of the service. It reads freely, and writes in [Room.Do] only.
type Room[R any, W Records] struct {
	db Database[R, W]
	Env
}

// NewRoom makes a room over the records that it needs.
func NewRoom[R any, W Records](db Database[R, W], env Env) Room[R, W] { return Room[R, W]{db, env} }

// Env is what all rooms share.
type Env struct {
	Log      *slog.Logger
	Now      func() time.Time
	Interval time.Duration // between two check-ins of a device
	// Present is since when the service was there and could write, nil where nobody keeps that.
	Present func() time.Time
	// Attempts keeps refused attempts in bounds, nil for telling them all.
	Attempts *Attempts
}

// Clock is the time by which devices stand as they do.
func (e Env) Clock() store.Clock {
	clock := store.Clock{Now: e.Now(), Interval: e.Interval}
	if e.Present != nil {
		clock.Since = e.Present()
	}
	return clock
}

// Read gives the records for reading, outside of a transaction.
func (r Room[R, W]) Read(ctx context.Context) R { return r.db.With(ctx) }

// Snapshot reads in one transaction that sees the database as of one moment.
func (r Room[R, W]) Snapshot(ctx context.Context, do func(tx R) error) error {
	return r.db.InSnapshot(ctx, do)
}

// Allowed refuses an act, on the trail as [Room.Do] does, for want of its right. Whatever works before it does the act
// asks first, so that nobody has read or changed anything who may not.
func (r Room[R, W]) Allowed(ctx context.Context, act Act) error {
	if act.right == "" || act.who.May(act.right) {
		return nil
	}
	return r.Refuse(ctx, act, Lacking(act.who))
}

// errNoAct is a mistake of the program.
var errNoAct = errors.New("an act must be made with ByOperator, ByDevice, ByService or Upkeep")

// Do does an act in one transaction. A refusal for want of the right, or of reach, is on the trail by itself, so that
// an attempt is seen; nothing else of a refused act is.
func (r Room[R, W]) Do(ctx context.Context, act Act, do func(tx W, w *Work) error) error {
	w := &Work{act: act, now: r.Now(), log: r.Log, interval: r.Interval}
	if !act.made {
		return errNoAct
	}
	if err := r.Allowed(ctx, act); err != nil {
		return err
	}
	ctx, span := tracing.Tracer().Start(ctx, cmp.Or(act.action, "transaction"))
	defer span.End()
	err := r.db.InTx(ctx, func(tx W) error {
		if err := do(tx, w); err != nil {
			return err
		}
		return w.write(tx)
	})
	tracing.Failed(span, err)
	var refused *refusal.Error
	if errors.As(err, &refused) && act.who.OperatorID != "" && act.action != "" &&
		(refused.Kind == refusal.Forbidden || act.unseen && refused.Hidden) {
		return r.refuse(ctx, w, refused)
	}
	return err
}

// DoStatement does an act that is one statement, which is stored whole or not at all by itself: a transaction around it
// would cost two round trips more. It is for what comes by the thousand. Nothing of it can be on the trail.
func (r Room[R, W]) DoStatement(ctx context.Context, act Act, do func(tx W) error) error {
	if !act.made || act.right != "" || act.action != "" {
		return errNoStatement
	}
	return r.db.InStatements(ctx, do)
}

// errNoStatement is a mistake of the program.
var errNoStatement = errors.New("what needs a right, or is on the trail, is done in a transaction")

// Refuse puts a refused attempt on the trail, and gives the refusal.
func (r Room[R, W]) Refuse(ctx context.Context, act Act, refused error) error {
	return r.refuse(ctx, &Work{act: act, now: r.Now(), log: r.Log}, refused)
}

func (r Room[R, W]) refuse(ctx context.Context, w *Work, refused error) error {
	if who := w.act.who; r.Attempts != nil && who.OperatorID != "" {
		if again, told := r.Attempts.Told.Spend(who.OperatorID, 1); !told {
			return r.Attempts.TooMany(who, w.act.action, again)
		}
	}
	entry := w.entry(w.act, audit.Refused, w.Before, w.After)
	if err := r.db.InTx(ctx, func(tx W) error { return tx.AppendAudit(entry) }); err != nil {
		return err
	}
	return refused
}

// Lacking refuses whoever lacks the right to do something.
func Lacking(who rights.Identity) *refusal.Error {
	return refusal.New(
		refusal.Forbidden,
		"with the role %s you may not do this%s",
		rights.RoleNames(who.Grants),
		wayOut(who),
	)
}

// wayOut is whom somebody asks who lacks a right: an owner asks nobody.
func wayOut(who rights.Identity) string {
	for _, g := range who.Grants {
		if g.Role == rights.Owner {
			return "; another role may, and an owner gives it under Operators"
		}
	}
	return "; ask an owner for one that may"
}

// Itself is the identity of what the service does without being asked.
var Itself = rights.Identity{Name: audit.Service, Grants: []rights.Grant{{Role: rights.Owner}}}

// DeviceActor begins the names of devices on the trail.
const DeviceActor = "device:"

// Device is the identity of a device on the trail.
func Device(id, address string) rights.Identity {
	return rights.Identity{Name: DeviceActor + id, Address: address}
}

// Console is the identity of who works on the machine of the service itself.
func Console(user string) rights.Identity {
	return rights.Identity{Name: "console:" + user, Grants: []rights.Grant{{Role: rights.Owner}}}
}
