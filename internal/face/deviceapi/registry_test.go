package deviceapi

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/internal/store"
)

// asked is a database that counts what it is asked.
type asked struct {
	looks, answers int
	broken         error
}

func (a *asked) KnownDevices(context.Context, []string) ([]store.ExchangeState, error) {
	return nil, a.broken
}

func (a *asked) ChangedDevices(context.Context, time.Time) ([]store.ExchangeState, time.Time, error) {
	a.looks++
	return nil, time.Time{}, a.broken
}

func (a *asked) Answers(context.Context) error { a.answers++; return a.broken }

// The whole table is read at the start and every few minutes; between that the database is only asked whether it
// answers, and one that does not makes what is known less trusted.
func TestTheFleetIsReadSeldom(t *testing.T) {
	now, database := time.Date(2031, 3, 4, 9, 0, 0, 0, time.UTC), &asked{}
	r := newRegistry(database, nil, nil, slog.New(slog.NewTextHandler(io.Discard, nil)),
		func() time.Time { return now })
	r.look(t.Context())
	for range 12 {
		now = now.Add(askEvery)
		r.ask(t.Context())
	}
	assert.Equal(t, asked{looks: 1, answers: 12}, *database)
	assert.Equal(t, now, r.synced)
	now = now.Add(lookEvery)
	r.ask(t.Context())
	assert.Equal(t, asked{looks: 2, answers: 12}, *database)

	for _, after := range []time.Duration{askEvery, lookEvery} { // asked, and looked
		synced := r.synced
		database.broken = errors.New("gone")
		now = now.Add(after)
		r.ask(t.Context())
		assert.Equal(t, synced, r.synced)
		database.broken = nil
	}
	r.ask(t.Context())
	assert.Equal(t, 4, database.looks, "what failed is done as soon as it can be")
}
