package fleetview

import (
	"context"
	"crypto/rand"
	"log/slog"
	"time"

	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/store"
)

const (
	lookEvery = 15 * time.Minute // for what a lost notice would have told, of which the hub knows most
	tryAgain  = time.Second
	mostNamed = 20_000 // devices above which the whole fleet is read instead
)

// Run keeps the view true until the context ends. It follows the database's notices, and reads the
// whole fleet at the beginning, whenever notices may have been lost, and once in a while.
func (v *View) Run(ctx context.Context, db Source, hub *notices.Hub, log *slog.Logger, now func() time.Time) {
	changes := hub.Subscribe(
		store.TopicDevices,
		store.TopicReports,
		store.TopicGroups,
		store.TopicContacts,
		store.TopicDatabase,
		store.TopicFence,
	)
	defer changes.Close()
	due := time.After(0)
	var fences []string
	for {
		var ids []string
		whole := false
		select {
		case <-ctx.Done():
			return
		case <-due:
			whole = true
		case <-changes.Ready:
			taken := changes.Drain()
			if heard := taken[store.TopicContacts]; len(heard) > 0 {
				v.noteContacts(heard, now())
			}
			ids, whole = touched(taken)
			fences = append(fences, taken[store.TopicFence]...)
		}
		if whole {
			ids = nil
		}
		if whole || len(ids) > 0 {
			seen, err := db.SeeDevices(ctx, ids)
			if err != nil {
				if ctx.Err() == nil {
					log.Warn(
						"devices could not be read for the lists of operators; it will be tried again",
						"error",
						err,
					)
				}
				due = time.After(tryAgain)
				continue
			}
			v.replace(seen, whole)
		}
		if whole {
			due = time.After(lookEvery)
			v.loaded.Do(func() { close(v.ready) })
		}
		v.pass(fences)
		fences = nil
	}
}

// touched are the devices that notices name; whole is true when any may have changed.
func touched(taken map[string][]string) (ids []string, whole bool) {
	for _, topic := range []string{store.TopicDatabase, store.TopicDevices, store.TopicReports, store.TopicGroups} {
		named, told := taken[topic]
		if told && len(named) == 0 {
			return nil, true
		}
		ids = append(ids, named...)
	}
	return ids, len(ids) > mostNamed
}

// Loaded waits until the whole fleet was read once.
func (v *View) Loaded(ctx context.Context) error {
	select {
	case <-v.ready:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// Source reads devices for the view, and tells it when it has read them. [*store.Store] is one.
type Source interface {
	SeeDevices(ctx context.Context, ids []string) (store.ViewRecords, error)
	Tell(ctx context.Context, n notices.Notice) error
}

// Sync waits until the view has everything that was committed before the call, so that whoever changed
// something sees it in the next list, or until the context ends.
func (v *View) Sync(ctx context.Context, db Source) {
	token, passed := rand.Text(), make(chan struct{})
	v.fenceMu.Lock()
	v.fences[token] = passed
	v.fenceMu.Unlock()
	defer v.pass([]string{token})
	if db.Tell(ctx, notices.Notice{Topic: store.TopicFence, IDs: []string{token}}) != nil {
		return
	}
	select {
	case <-passed:
	case <-ctx.Done():
	}
}

func (v *View) pass(tokens []string) {
	v.fenceMu.Lock()
	defer v.fenceMu.Unlock()
	for _, token := range tokens {
		if passed, waits := v.fences[token]; waits {
			close(passed)
			delete(v.fences, token)
		}
	}
}
