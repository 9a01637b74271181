package deviceapi

import (
	"context"
	"crypto/ed25519"
	"log/slog"
	"sync"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

// Known reads what every replica keeps in memory of devices. [*store.Store] has it.
type Known interface {
	KnownDevices(ctx context.Context, ids []string) ([]store.ExchangeState, error)
	ChangedDevices(ctx context.Context, since time.Time) ([]store.ExchangeState, time.Time, error)
	// Answers is nil when the database does.
	Answers(ctx context.Context) error
}

// registry keeps in memory what a check-in needs to know of every device that was heard from, so
// that one with nothing new costs no read and no write of the database. It is kept up to date by
// the database's notices, and by a look at what changed now and then, and whenever one may have been lost.
type registry struct {
	known   Known
	contact func(ctx context.Context, contacts []store.Contact) (skipped []store.Contact, err error)
	hub     *notices.Hub
	log     *slog.Logger
	now     func() time.Time // of this machine: how long ago something was here

	mu       sync.Mutex
	devices  map[string]store.ExchangeState
	contacts map[string]time.Time
	waiting  map[string]*waiter
	pace
	ended    bool          // the service stops, nothing is parked any more
	open     int           // parked requests that are not answered
	left     chan struct{} // closed once it stops and all are answered
	database int           // how often another database was found; what was learned of one says nothing of the next
	synced   time.Time     // when the database answered last, by when it was asked
	looked   time.Time     // when the last look at what changed began
	dbSynced time.Time     // the same by the database's clock
}

const (
	askEvery     = 15 * time.Second
	lookEvery    = 5 * time.Minute // it reads the whole fleet's table, and finds nothing where no notice was lost
	lookBack     = 2 * time.Minute // further than any transaction is open
	distrustFrom = 60 * time.Second
	flushEvery   = 3 * time.Second
	paceEvery    = 50 * time.Millisecond
	lastWrite    = 5 * time.Second // of times of last contact, when the service stops
)

// newRegistry knows no device yet. Contact writes times of last contact, and gives those that it could not write.
func newRegistry(
	known Known, contact func(ctx context.Context, contacts []store.Contact) ([]store.Contact, error), hub *notices.Hub,
	log *slog.Logger, now func() time.Time) *registry {
	return &registry{
		known:    known,
		contact:  contact,
		hub:      hub,
		log:      log,
		now:      now,
		devices:  map[string]store.ExchangeState{},
		contacts: map[string]time.Time{},
		waiting:  map[string]*waiter{},
		pace:     pace{out: map[string]time.Time{}},
		left:     make(chan struct{}),
	}
}

// run keeps the registry true until the context ends; what was gathered is written last.
func (r *registry) run(ctx context.Context) {
	var beside sync.WaitGroup // neither reading nor writing holds up the other, nor those who wait for their turn
	beside.Go(func() { r.keep(ctx) })
	flush, pace := time.NewTicker(flushEvery), time.NewTicker(paceEvery)
	defer flush.Stop()
	defer pace.Stop()
	beside.Go(func() {
		for {
			select {
			case <-ctx.Done():
				return
			case <-flush.C:
				r.writeContacts(ctx)
			}
		}
	})
	for {
		select {
		case <-ctx.Done():
			r.end()
			beside.Wait()
			last, cancel := context.WithTimeout(context.WithoutCancel(ctx), lastWrite)
			defer cancel()
			r.writeContacts(last)
			return
		case <-pace.C:
			r.releaseDue()
		}
	}
}

// keep reads what changes until the context ends.
func (r *registry) keep(ctx context.Context) {
	changes := r.hub.Subscribe(store.TopicDevices, store.TopicDatabase)
	defer changes.Close()
	ask := time.NewTicker(askEvery)
	defer ask.Stop()
	r.look(ctx)
	for {
		select {
		case <-ctx.Done():
			return
		case <-changes.Ready:
			taken := changes.Drain()
			ids, told := taken[store.TopicDevices]
			_, another := taken[store.TopicDatabase]
			switch {
			case another:
				r.forget()
				r.look(ctx)
				r.callAll()
			case len(ids) > 0:
				r.read(ctx, ids)
			case told: // notices may have been lost
				r.look(ctx)
			}
		case <-ask.C:
			r.ask(ctx)
		}
	}
}

// forget forgets what is known of devices: the database is another one, or went back.
func (r *registry) forget() {
	r.mu.Lock()
	defer r.mu.Unlock()
	clear(r.devices)
	r.synced, r.looked, r.dbSynced = time.Time{}, time.Time{}, time.Time{}
	r.database++
}

// callAll has every device whose request is parked check in, in turn, so that it gives again what the database lacks.
func (r *registry) callAll() {
	r.mu.Lock()
	defer r.mu.Unlock()
	for id, w := range r.waiting {
		r.call(id, w)
	}
	r.wake()
}

// generation changes whenever another database is found.
func (r *registry) generation() int {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.database
}

// look reads whatever changed since the last look.
func (r *registry) look(ctx context.Context) {
	r.mu.Lock()
	since := r.dbSynced.Add(-lookBack)
	r.mu.Unlock()
	began := r.now()
	changed, now, err := r.known.ChangedDevices(ctx, since)
	if err != nil {
		if ctx.Err() == nil {
			r.log.Warn("devices could not be read; what is known of them is trusted for a minute", "error", err)
		}
		return
	}
	r.update(changed)
	r.mu.Lock()
	defer r.mu.Unlock()
	r.synced, r.looked, r.dbSynced = began, began, now
}

// ask sees that the database answers, and so that its notices come, and looks at what changed where that is due.
func (r *registry) ask(ctx context.Context) {
	began := r.now()
	r.mu.Lock()
	due := began.Sub(r.looked) >= lookEvery
	r.mu.Unlock()
	if due {
		r.look(ctx)
		return
	}
	if err := r.known.Answers(ctx); err != nil {
		if ctx.Err() == nil {
			r.log.Warn("the database does not answer; what is known of devices is trusted for a minute", "error", err)
		}
		return
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	r.synced = began
}

func (r *registry) read(ctx context.Context, ids []string) {
	known, err := r.known.KnownDevices(ctx, ids)
	if err != nil {
		r.log.Warn("changed devices could not be read; they are looked at again", "error", err)
		return
	}
	r.update(known)
}

func (r *registry) update(list []store.ExchangeState) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, d := range list {
		former := r.devices[d.ID]
		r.devices[d.ID] = d
		if w := r.waiting[d.ID]; w != nil && (newer(d, w.holds) || d.OrderNumber > w.order || d.State != former.State) {
			r.call(d.ID, w)
		}
	}
	r.wake()
}

// newer reports whether there is a desired state for a device that is newer than what it holds. Before the
// first one there is none, whatever the epoch of the service.
func newer(d store.ExchangeState, holds drift.Stamp) bool {
	return d.DesiredNumber > 0 && desired(d).Newer(holds)
}

// hasNewer reports whether there is one for a live device.
func (r *registry) hasNewer(id string, holds drift.Stamp) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	d := r.devices[id]
	return d.State == store.Live && newer(d, holds)
}

func desired(d store.ExchangeState) drift.Stamp {
	return drift.Stamp{Epoch: d.DesiredEpoch, Number: d.DesiredNumber, Digest: d.DesiredDigest}
}

// get gives what is known of a device; ok is false when there is no such device.
func (r *registry) get(ctx context.Context, id string) (d store.ExchangeState, ok bool, err error) {
	r.mu.Lock()
	d, ok = r.devices[id]
	trusted := r.now().Sub(r.synced) < distrustFrom
	r.mu.Unlock()
	if ok && trusted {
		return d, true, nil
	}
	found, err := r.known.KnownDevices(ctx, []string{id})
	if err != nil || len(found) == 0 {
		return d, false, err
	}
	r.update(found)
	return found[0], true, nil
}

// learn notes at once what this replica stored of a device's deposits, since a [registry.generation]; other replicas
// hear of it.
func (r *registry) learn(id string, generation int, epoch int64, stored protocol.DepositMarks) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if d, known := r.devices[id]; known && d.Epoch == epoch && r.database == generation {
		d.DepositNumber, d.ConfirmedNumber = max(d.DepositNumber, stored.Latest),
			max(d.ConfirmedNumber, stored.Confirmed)
		r.devices[id] = d
	}
}

func key(d store.ExchangeState) ed25519.PublicKey { return ed25519.PublicKey(d.PublicKey) }

// noteContact notes a contact; it is written with the others.
func (r *registry) noteContact(id string, at time.Time) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.contacts[id] = at
}

// writeContacts writes the times of last contact that were noted. Those that were not written, since another
// transaction held the device, are noted again unless the device was heard from meanwhile.
func (r *registry) writeContacts(ctx context.Context) {
	r.mu.Lock()
	contacts := make([]store.Contact, 0, len(r.contacts))
	for id, at := range r.contacts {
		contacts = append(contacts, store.Contact{Device: id, At: at})
	}
	clear(r.contacts)
	r.mu.Unlock()
	if len(contacts) == 0 {
		return
	}
	skipped, err := r.contact(ctx, contacts)
	if err != nil {
		r.log.Warn("times of last contact were not written; they are written with the next", "devices", len(contacts),
			"error", err)
		skipped = contacts
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, c := range skipped {
		if _, later := r.contacts[c.Device]; !later {
			r.contacts[c.Device] = c.At
		}
	}
}

// park adds a parked request of a device; an earlier one of the same device is answered. Something is ready
// when something is waiting already. It is nil when too many are parked already, or the service has ended.
func (r *registry) park(id string, holds drift.Stamp, order int64) (w *waiter, ended bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	w = &waiter{holds: holds, order: order}
	if d := r.devices[id]; newer(d, holds) || d.OrderNumber > order {
		w.ready = true
		return w, false
	}
	former := r.waiting[id]
	if former == nil && len(r.waiting) >= maxHeld || r.ended {
		return nil, r.ended
	}
	if former != nil {
		former.wake(true)
	}
	r.waiting[id], w.counted = w, true
	r.open++
	return w, false
}

// end answers every parked request, since the service stops. What it gives is closed once all are answered.
func (r *registry) end() <-chan struct{} {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.ended {
		return r.left
	}
	r.ended = true
	if r.open == 0 {
		close(r.left)
	}
	for id, w := range r.waiting {
		w.wake(false)
		delete(r.waiting, id)
	}
	return r.left
}

// maxHeld bounds the requests that one replica holds open.
const maxHeld = 100_000

// release lets go of a parked request, and gives the turn of its device to the next one.
func (r *registry) release(id string, w *waiter) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.waiting[id] == w {
		delete(r.waiting, id)
	}
	if w.counted {
		w.counted = false
		if r.open--; r.ended && r.open == 0 {
			close(r.left)
		}
	}
	r.told(id)
}
