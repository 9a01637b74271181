// Package presence keeps what is true of the database right now: that it takes writes, which database it is, and since
// when the service was there without a gap. Each replica writes once a second that it is there; what cannot be written
// is not ready, and a database that is another one than a moment ago, or went back, is told to everybody who remembers
// something of it.
package presence

import (
	"context"
	"fmt"
	"log/slog"
	"sync"
	"time"

	"rankwarden.example/internal/store"
)

const (
	every   = time.Second
	answers = 2 * time.Second // within which the database takes a write
	// startAnswers is that of the first write: a start that takes long is better than none.
	startAnswers = 30 * time.Second
	// old is how long the last write counts: a replica that was frozen knows nothing.
	old = 5 * time.Second
	// gap is how long nobody may have written for the service to count as there all the time.
	gap = 10 * time.Second
)

// How many devices that hold what the service never gave them say that the database went back, once an hour at most: a
// device can lie, and so can a few; and who was on the way while one epoch began has not heard of it.
const (
	mismatchedAtLeast = 3
	mismatchedShare   = 1000 // one in so many of the live devices
)

// Database is where a replica writes that it is there. [store.Store] is one.
type Database interface {
	Pulse(ctx context.Context, program string, gap time.Duration) (store.Pulse, error)
	Reconnect()
}

// Keeper keeps it. Use [New].
type Keeper struct {
	db      Database
	program string
	schema  int64 // that this program knows
	log     *slog.Logger
	now     func() time.Time // of this machine: how long ago something was
	// returned is called where the database is another one or went back; it begins a new epoch unless another replica
	// did, which is one where the database says another epoch than this. The new epoch is later than any that this
	// replica saw.
	returned func(ctx context.Context, why string, epoch, latest int64) error
	// changed is called once nothing that is remembered of the database holds.
	changed func()

	mu   sync.Mutex
	last store.Pulse // that succeeded
	at   time.Time   // when
	why  string      // it is not ready, empty when it is
}

// New makes a keeper for a program that knows a schema.
func New(db Database, program string, schema int64, log *slog.Logger, now func() time.Time,
	returned func(ctx context.Context, why string, epoch, latest int64) error, changed func(),
) *Keeper {
	return &Keeper{db: db, program: program, schema: schema, log: log, now: now, returned: returned, changed: changed,
		why: "it has not been asked yet"}
}

// Run keeps it until the context ends.
func (k *Keeper) Run(ctx context.Context) {
	for {
		if err := k.Look(ctx); err != nil && ctx.Err() == nil {
			k.log.Debug("the database does not take a write", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(every):
		}
	}
}

// Begin is the first Look of a start, which waits longer for the database.
func (k *Keeper) Begin(ctx context.Context) error { return k.look(ctx, startAnswers) }

// Look writes once that this replica is there, and does what follows from what it finds.
func (k *Keeper) Look(ctx context.Context) error { return k.look(ctx, answers) }

func (k *Keeper) look(ctx context.Context, within time.Duration) error {
	trying, cancel := context.WithTimeout(ctx, within)
	defer cancel()
	p, err := k.db.Pulse(trying, k.program, gap)
	if err == nil {
		err = k.compare(ctx, p)
	}
	why := ""
	switch {
	case err != nil:
		why = store.WhyNoWrites(err)
	case k.schema < p.ServesFrom:
		why = fmt.Sprintf("its schema is at %d, and programs from schema %d on can serve with that; this one knows %d",
			p.Schema, p.ServesFrom, k.schema)
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	if (why == "") != (k.why == "") && !k.at.IsZero() {
		k.log.Warn("whether the database takes writes has changed", "ready", why == "", "why", why)
	}
	k.why = why
	if err == nil {
		k.last, k.at = p, k.now()
	}
	return err
}

// compare finds a database that is another one, or went back.
func (k *Keeper) compare(ctx context.Context, p store.Pulse) error {
	k.mu.Lock()
	last, first := k.last, k.at.IsZero()
	k.mu.Unlock()
	if p.Noted.System == "" { // the records do not say yet where they are
		return k.returned(ctx, "", p.Epoch, 0)
	}
	why := wentBack(p, last, first)
	if why != "" {
		k.log.Warn("the database is not the one of before; a new epoch begins unless another replica began it", "why",
			why,
			"system", p.Database.System, "timeline", p.Database.Timeline, "epoch", p.Epoch)
		if err := k.returned(ctx, why, p.Epoch, last.Epoch); err != nil {
			return err
		}
	}
	if why != "" || !first && (last.Epoch != p.Epoch || !last.Database.Same(p.Database)) {
		k.db.Reconnect()
		k.changed()
	}
	return nil
}

// wentBack says why a database is not the one of before, empty where it is.
func wentBack(p, last store.Pulse, first bool) string {
	switch d := p.Database; {
	case p.Noted.System != d.System:
		return "its records were in another PostgreSQL before: they were restored or moved"
	case p.Noted.Timeline != d.Timeline:
		return fmt.Sprintf("it is on timeline %d, and its records were on %d before: a standby was promoted, or it "+
			"was recovered to a time",
			d.Timeline, p.Noted.Timeline)
	case !first && p.Epoch <= last.Epoch && !last.Database.Same(d): // otherwise another replica has begun one
		return "it holds less than this replica saw it hold: a copy of an earlier time was put in its place"
	case p.Mismatched >= max(mismatchedAtLeast, p.Devices/mismatchedShare) && !p.Returned:
		return fmt.Sprintf("%d devices hold what it does not know that they were given", p.Mismatched)
	}
	return ""
}

// Ready says whether the database takes writes, and why not.
func (k *Keeper) Ready() (ready bool, why string) {
	k.mu.Lock()
	defer k.mu.Unlock()
	switch age := k.now().Sub(k.at); {
	case k.why != "":
		return false, k.why
	case age > old:
		return false, fmt.Sprintf("it took its last write %s ago", age.Round(time.Second))
	}
	return true, ""
}

// Since is since when the service was there and could write, whichever replica it was; what a device did not say before
// that says nothing of the device.
func (k *Keeper) Since() time.Time {
	k.mu.Lock()
	defer k.mu.Unlock()
	return k.last.Since
}

// Database names the database, and the epoch of the service in it.
func (k *Keeper) Database() (d store.Database, epoch int64) {
	k.mu.Lock()
	defer k.mu.Unlock()
	return k.last.Database, k.last.Epoch
}
