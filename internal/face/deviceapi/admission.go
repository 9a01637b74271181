package deviceapi

import (
	"context"
	"time"
)

// admission lets so many devices at the database at once; the others wait a moment, and are asked to come
// back when it takes longer. So a fleet that is woken at once holds up neither itself nor anybody else.
type admission struct {
	places chan struct{}
	wait   time.Duration
}

const (
	atOnce     = 256              // they are taken together
	asking     = 16               // each of them takes a connection of its own
	waitAtDoor = 10 * time.Second // the longest that a device waits for its place
	comeBack   = 10 * time.Second
)

func newAdmission(places int) *admission {
	return &admission{places: make(chan struct{}, places), wait: waitAtDoor}
}

// do does something with the database, or refuses it.
func (a *admission) do(ctx context.Context, work func() error) error {
	if err := a.enter(ctx); err != nil {
		return err
	}
	defer func() { <-a.places }()
	return work()
}

// enter takes a free place, or waits for one.
func (a *admission) enter(ctx context.Context) error {
	select {
	case a.places <- struct{}{}:
		return nil
	default:
	}
	limit := time.NewTimer(a.wait)
	defer limit.Stop()
	select {
	case a.places <- struct{}{}:
		return nil
	case <-limit.C:
		return tooMany("busy", "too many devices came at once; come back in a moment", comeBack)
	case <-ctx.Done():
		return ctx.Err()
	}
}
