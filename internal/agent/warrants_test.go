package agent

import (
	"context"
	"errors"
	"log/slog"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/core/warrant"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/agent/journal"
	"rankwarden.example/internal/agent/reconcile"
	"rankwarden.example/internal/wire/protocol"
)

var noon = time.Date(2031, 3, 4, 12, 0, 0, 0, time.UTC)

// turned is a clock that somebody may turn.
type turned struct {
	wall    time.Time
	elapsed time.Duration
}

func (c *turned) Now() time.Time                     { return c.wall }
func (c *turned) Elapsed() time.Duration             { return c.elapsed }
func (*turned) After(time.Duration) <-chan time.Time { return nil }

func (c *turned) pass(d time.Duration) { c.wall, c.elapsed = c.wall.Add(d), c.elapsed+d }

func until(end time.Duration) protocol.Warrant {
	return protocol.Warrant{ID: "W1", Warrant: warrant.Warrant{Unit: unit.Administrators,
		Principal: principal.MustParse("user:asta.holm@skerryline.example"), Until: noon.Add(end)}}
}

// Whoever turns the clock back, in a running agent or before it is started, keeps no rights by that.
func TestTheClockIsTurnedBack(t *testing.T) {
	clock, dir := &turned{wall: noon}, t.TempDir()
	a, err := New(Options{Clock: clock, Dir: dir, Log: slog.New(slog.DiscardHandler)})
	require.NoError(t, err)
	a.setTime(noon.Add(3 * time.Hour)) // the clock is three hours slow
	clock.pass(time.Minute)
	assert.Equal(t, noon.Add(3*time.Hour+time.Minute), a.now())
	clock.wall = clock.wall.Add(-24 * time.Hour)
	clock.pass(time.Minute)
	assert.Equal(t, noon.Add(3*time.Hour+2*time.Minute), a.now(), "time goes on")
	clock.wall = clock.wall.Add(48 * time.Hour)
	assert.Equal(t, noon.Add(27*time.Hour+2*time.Minute), a.now(), "the machine slept")

	a.keepGranted(t.Context(), []journal.Granted{{Unit: unit.Administrators,
		Principal: principal.MustParse("local:counter"), Until: noon.Add(99 * time.Hour)}}, a.now())
	require.NoError(t, a.journal.Save())
	began := func(wall time.Time) reconcile.Job {
		again, err := New(Options{Clock: &turned{wall: wall}, Dir: dir})
		require.NoError(t, err)
		var job reconcile.Job
		job.Warrants = []protocol.Warrant{until(99 * time.Hour)}
		again.byWarrants(&job)
		assert.False(t, again.now().Before(noon.Add(27*time.Hour)), "not before what was known")
		if again.behind {
			again.setTime(noon.Add(28 * time.Hour))
			assert.False(t, again.behind, "the service said what time it is")
		}
		return job
	}
	assert.Empty(t, began(noon).Warrants, "the clock stands behind what was known")
	assert.Len(t, began(noon.Add(28*time.Hour)).Warrants, 1)

	assert.True(t, a.keepGranted(t.Context(), nil, a.now()), "that nothing is granted any more is kept, too")
	assert.Zero(t, a.journal.Time)
	assert.False(t, a.keepGranted(t.Context(), nil, a.now()), "and then nothing is written for it")
}

// The agent waits for no longer than until a warrant begins, ends, or is about to.
func TestTheAgentIsThereWhenAWarrantEnds(t *testing.T) {
	clock := &turned{wall: noon}
	a, err := New(Options{Clock: clock, Dir: t.TempDir()})
	require.NoError(t, err)
	assert.Equal(t, time.Hour, a.untilWarrant(time.Hour))
	w := until(30 * time.Minute)
	w.From = noon.Add(2 * time.Minute)
	a.journal.Asked.Warrants = []protocol.Warrant{w}
	for _, waits := range []time.Duration{2 * time.Minute, 23 * time.Minute, 5 * time.Minute, time.Hour} {
		assert.Equal(t, waits, a.untilWarrant(time.Hour))
		clock.pass(waits)
	}
	a.journal.Asked.Warrants, a.journal.Granted = nil, []journal.Granted{{Until: a.now().Add(time.Minute)}}
	assert.Equal(t, time.Minute, a.untilWarrant(time.Hour), "one that was taken back meanwhile, too")
}

// people are who is signed in.
type people struct {
	host.Host
	names []string
	err   error
	told  []string
}

func (p *people) WhoIsThere(context.Context) ([]string, error) { return p.names, p.err }
func (p *people) Notify(_ context.Context, message string) error {
	p.told = append(p.told, message)
	return nil
}

// Whoever has a warrant and is signed in is told once, five minutes before its end.
func TestWhoHasAWarrantIsToldOfItsEnd(t *testing.T) {
	for _, c := range []struct {
		who   string
		there []string
		err   error
		told  bool
	}{
		{"user:asta.holm@skerryline.example", []string{"Asta.Holm"}, nil, true},
		{"user:asta.holm@skerryline.example", []string{`SKERRYLINE\asta.holm`}, nil, true},
		{"user:asta.holm@skerryline.example", []string{"asta.holm@skerryline.example"}, nil, true},
		{"user:asta.holm@skerryline.example", []string{"counter"}, nil, false},
		{"user:asta.holm@skerryline.example", nil, errors.New("logind is away"), true},
		{"local:counter", []string{"counter"}, nil, true},
		{"group:desk support@skerryline.example", []string{"counter"}, nil, true},
		{"group:desk support@skerryline.example", nil, nil, false},
	} {
		at := &people{names: c.there, err: c.err}
		a, err := New(Options{Clock: &turned{wall: noon}, Dir: t.TempDir(), Host: at})
		require.NoError(t, err)
		granted := []journal.Granted{{Unit: unit.Administrators, Principal: principal.MustParse(c.who),
			Until: noon.Add(10 * time.Minute), EndSessions: true}}
		a.keepGranted(t.Context(), granted, noon)
		assert.Empty(t, at.told, "not yet")
		for range 2 {
			a.keepGranted(t.Context(), a.journal.Granted, noon.Add(5*time.Minute))
		}
		used := 0
		for _, e := range a.journal.Events {
			if e.Kind == drift.WarrantUsed {
				used++
			}
		}
		sure := c.told && c.err == nil && !strings.HasPrefix(c.who, "group:")
		assert.Equal(t, sure, used == 1, "told once, of whoever it certainly is: %+v", c)
		if !c.told {
			assert.Empty(t, at.told, "%+v", c)
			continue
		}
		if assert.Len(t, at.told, 1, "%+v", c) {
			assert.Contains(t, at.told[0], "as a member of administrators end at")
			assert.Contains(t, at.told[0], "save your work")
		}
	}
}
