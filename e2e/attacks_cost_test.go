package e2e

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/client"
	"rankwarden.example/internal/base/budget"
	"rankwarden.example/internal/wire/protocol"
)

// Somebody who tries again and again what they may not do is told so some times; then they wait, and the trail has the
// sum of the minute.
func TestNobodyFillsTheTrail(t *testing.T) {
	s := start(t)
	s.stop()
	s.config.Refused = budget.Size{} // as it is where nothing is said
	s.run()
	s.clock.stop()
	viewer := s.as("runa", "viewer")
	var refused, tooMany atomic.Int64
	atOnce(300, func(int) error {
		_, err := viewer.CreateGroup(t.Context(), client.GroupSpec{Name: "mine"})
		p := (*client.Problem)(nil)
		if !errors.As(err, &p) {
			return errors.New("it was not refused")
		}
		switch p.Status {
		case 403:
			refused.Add(1)
		case 429:
			tooMany.Add(1)
		}
		return nil
	})
	assert.EqualValues(t, 300, refused.Load()+tooMany.Load())
	assert.GreaterOrEqual(t, refused.Load(), int64(budget.Refused.Units))
	assert.Less(t, refused.Load(), int64(100), "some refill meanwhile")
	one := s.refused("group.made")
	assert.Equal(t, refused.Load(), one)
	s.clock.forward(time.Minute)
	require.NoError(t, s.Attempts.Record(t.Context()))
	sums, err := query[string](t, s.config.Database, `select string_agg(actor || ' ' || outcome || ' ' ||
		(after->'actions'), '; ') from audit_entries where action = 'attempts.summed'`)
	require.NoError(t, err)
	assert.Equal(t, 1, strings.Count(sums, "runa refused"), sums)
	assert.Contains(t, sums, "group.made")
	_, err = viewer.Groups(t.Context(), "", client.Page{})
	assert.NoError(t, err, "what they may do they still can")
	proof, err := s.owner.CheckTrail(t.Context(), 0)
	require.NoError(t, err)
	assert.Zero(t, proof.Broken)
}

// What works on the whole fleet costs more than what reads a row: who asks for it without end waits, and holds up
// nobody else.
func TestNobodyHasThePlanWorkedOutForEver(t *testing.T) {
	s := start(t)
	s.enrolled("SKL-WKS-001")
	viewer, other := s.as("runa", "viewer"), s.as("asgerd", "viewer")
	var tooMany *client.Problem
	whole := 0 // calls that the purse pays for
	for ; whole < 2000; whole++ {
		if _, err := viewer.TestRule(t.Context(), "true"); errors.As(err, &tooMany) {
			break
		}
	}
	require.NotNil(t, tooMany)
	assert.Equal(t, 429, tooMany.Status)
	assert.Equal(t, "too_many_requests", tooMany.Code)
	assert.Contains(t, tooMany.Detail, "try again in")
	token, err := viewer.CreateToken(t.Context(), "another way", "", 5)
	another := client.New(s.URL, token.Secret)
	calls := 0 // a small call may still be paid for, and what was filled again meanwhile
	for ; err == nil && calls < whole/2; calls++ {
		_, err = another.TestRule(t.Context(), "true")
	}
	problem(t, err, 429, "try again in")
	_, err = other.TestRule(t.Context(), "true")
	assert.NoError(t, err)

	ten := "[1, 2, 3, 4, 5, 6, 7, 8, 9, 10]"
	_, err = other.TestRule(t.Context(), ten+".all(a, "+ten+".all(b, "+ten+".all(c, a + b + c > 0)))")
	problem(t, err, 422, "would take too long")
	stopped, stop := context.WithCancel(t.Context())
	stop()
	_, err = other.TestRule(stopped, "true")
	assert.ErrorIs(t, err, context.Canceled)
}

// A device sends so much in a day, and begins so often anew, as one that is well never does.
func TestADeviceHasABudget(t *testing.T) {
	s := start(t)
	post := s.joined("SKL-X")
	began, last := 0, 0
	for i := range 3 * budget.DeviceEpochs.Units {
		request := protocol.EpochRequest{Held: int64(i), Nonce: fmt.Sprint("n", i)}
		last, _ = post(protocol.PathEpoch, request, false)
		if last == 200 {
			began++
		}
	}
	assert.Equal(t, 429, last)
	assert.LessOrEqual(t, began, budget.DeviceEpochs.Units+10, "some refill meanwhile")
	assert.GreaterOrEqual(t, began, budget.DeviceEpochs.Units)

	large := map[string]any{"nonce": strings.Repeat("x", 700<<10)}
	sent := 0
	for sent = range 2 * budget.DeviceBytes.Units / (700 << 10) {
		if last, _ = post(protocol.PathWait, large, false); last == 429 {
			break
		}
	}
	assert.Equal(t, 429, last)
	assert.Less(t, sent, budget.DeviceBytes.Units/(700<<10)+1)
	s.clock.forward(2 * time.Minute)
	require.NoError(t, s.Attempts.Record(t.Context()))
	entries, err := s.owner.Trail(t.Context(), client.TrailQuery{Action: "attempts.summed"}, client.Page{})
	require.NoError(t, err)
	require.NotEmpty(t, entries.Items)
	assert.Contains(t, entries.Items[0].Actor, "device:")
}
