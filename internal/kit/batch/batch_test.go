package batch_test

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/kit/batch"
)

// Whoever comes while others are served is served with everybody who came meanwhile, each with an answer of its own.
func TestManyAreServedInFewGoes(t *testing.T) {
	var g batch.Gather[int]
	var mu sync.Mutex
	var goes [][]int
	begun, hold := make(chan bool, 100), make(chan bool)
	work := func(_ context.Context, items []int) []error {
		begun <- true
		<-hold
		mu.Lock()
		defer mu.Unlock()
		goes = append(goes, items)
		errs := make([]error, len(items))
		for i, item := range items {
			if item%10 == 3 {
				errs[i] = fmt.Errorf("not %d", item)
			}
		}
		return errs
	}
	answers := make([]error, 250)
	var all sync.WaitGroup
	come := func(i int, key string) {
		waits := make(chan bool)
		all.Go(func() {
			close(waits)
			answers[i] = g.Do(t.Context(), key, i, work)
		})
		<-waits
	}
	for i := range 2 {
		come(i, fmt.Sprint(i))
		<-begun
	}
	for i := 2; i < len(answers); i++ {
		come(i, fmt.Sprint(i%200)) // the last fifty come a second time while their first is not served yet, perhaps
	}
	close(hold)
	all.Wait()
	total := 0
	for _, items := range goes {
		total += len(items)
		assert.LessOrEqual(t, len(items), 100)
		keys := map[int]bool{}
		for _, i := range items {
			assert.False(t, keys[i%200], "two of the same key are in one go")
			keys[i%200] = true
		}
	}
	assert.Equal(t, len(answers), total)
	assert.Less(t, len(goes), 200, "they went together")
	for i, err := range answers {
		assert.Equal(t, i%10 == 3, err != nil, i)
	}
}

func TestOneThatLeavesOrPanicsHoldsUpNobody(t *testing.T) {
	var g batch.Gather[string]
	hold := make(chan bool)
	work := func(ctx context.Context, items []string) []error {
		<-hold
		if slices.Contains(items, "bad") {
			panic("out of order")
		}
		assert.NoError(t, ctx.Err(), "the work goes on when who asked has left")
		_, ends := ctx.Deadline()
		assert.True(t, ends, "but not for ever")
		return make([]error, len(items))
	}
	ctx, leave := context.WithCancel(t.Context())
	left := make(chan error)
	go func() { left <- g.Do(ctx, "a", "a", work) }()
	leave()
	require.ErrorIs(t, <-left, context.Canceled)
	close(hold)
	require.NoError(t, g.Do(t.Context(), "b", "b", work))
	require.ErrorContains(t, g.Do(t.Context(), "c", "bad", work), "out of order")
	require.False(t, errors.Is(g.Do(t.Context(), "d", "d", work), context.Canceled))
}

// Who spoils it for the others is found by halves, and the others are served.
func TestWhatSpoilsAGoIsSetApart(t *testing.T) {
	items := make([]int, 100)
	for i := range items {
		items[i] = i
	}
	times := 0
	bad, gone := errors.New("bad"), errors.New("gone")
	errs := batch.Isolate(items, func(err error) bool { return err == bad }, func(items []int) ([]error, error) {
		times++
		if slices.Contains(items, 37) {
			return nil, bad
		}
		return make([]error, len(items)), nil
	})
	for i, err := range errs {
		assert.Equal(t, i == 37, err == bad, i)
	}
	assert.LessOrEqual(t, times, 16, "not one by one")
	errs = batch.Isolate(items, func(err error) bool { return err == bad },
		func([]int) ([]error, error) { times = -1; return nil, gone })
	assert.Equal(t, slices.Repeat([]error{gone}, 100), errs, "when nobody can be served, that is tried once")
}
