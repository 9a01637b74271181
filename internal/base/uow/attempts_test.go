package uow_test

import (
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/base/budget"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/base/uow/uowtest"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
)

// summed are records of refused attempts in memory; all of a minute is over at once.
type summed struct {
	uowtest.Trail
	down   bool
	counts map[store.Attempted]int
}

func (s *summed) CountRefused(counts map[store.Attempted]int) error {
	if s.down {
		return errors.New("the database is away")
	}
	s.counts = counts
	return nil
}

func (s *summed) TakeRefused(time.Time) ([]store.RefusedAttempts, error) {
	total := map[string]store.RefusedAttempts{}
	for what, n := range s.counts {
		of := total[what.Actor]
		if of.Actions == nil {
			of = store.RefusedAttempts{Minute: what.Minute, Actor: what.Actor, Actions: map[string]int{}}
		}
		of.Actions[what.Action] += n
		of.Attempts += n
		total[what.Actor] = of
	}
	s.counts = nil
	var list []store.RefusedAttempts
	for _, of := range total {
		list = append(list, of)
	}
	return list, nil
}

// Some refused attempts of a person are told one by one; the rest wait, and are one entry. None is lost while the
// database is away.
func TestRefusedAttemptsAreSummedUp(t *testing.T) {
	records := &summed{}
	attempts := &uow.Attempts{Room: uowtest.Room[struct{}, uow.AttemptRecords](struct{}{}, records, &records.Trail)}
	attempts.Told = budget.New(budget.Size{Units: 3, Refill: time.Minute}, func() time.Time { return uowtest.Now })
	trail := &uowtest.Trail{}
	room := uowtest.Room[any, uow.Records](trail, trail, trail)
	room.Attempts = attempts
	var last *refusal.Error
	for range 10 {
		err := room.Do(t.Context(), act(viewer), func(uow.Records, *uow.Work) error { return nil })
		require.ErrorAs(t, err, &last)
	}
	assert.Len(t, trail.Entries, 3)
	assert.Equal(t, refusal.TooMany, last.Kind)
	assert.Positive(t, last.Retry)
	assert.ErrorContains(t, room.Do(t.Context(), act(viewer), nil), "try again in")

	records.down = true
	require.Error(t, attempts.Record(t.Context()))
	records.down = false
	require.NoError(t, attempts.Record(t.Context()))
	require.Len(t, records.Entries, 1)
	e := records.Entries[0]
	assert.Equal(t, []string{"runa", uow.AttemptsSummed, string(audit.Refused)},
		[]string{e.Actor, e.Action, string(e.Outcome)})
	assert.Contains(t, string(e.After), `"attempts":8`)
	require.NoError(t, attempts.Record(t.Context()))
	assert.Len(t, records.Entries, 1, "nothing is told twice")
}
