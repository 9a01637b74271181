package deviceapi

import (
	"errors"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/face/problem"
)

// Who waits too long is asked to come back, and is told when; places are given back.
func TestWhoWaitsTooLongIsAskedToComeBack(t *testing.T) {
	a := newAdmission(atOnce)
	a.wait = 0
	for range atOnce {
		a.places <- struct{}{}
	}
	err := a.do(t.Context(), func() error { return errors.New("not done") })
	var p *problem.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, 503, p.Status)
	after, err := strconv.Atoi(p.GetHeaders().Get("Retry-After"))
	require.NoError(t, err)
	assert.Positive(t, after)
	<-a.places
	assert.NoError(t, a.do(t.Context(), func() error { return nil }))
	assert.NoError(t, a.do(t.Context(), func() error { return nil }), "a place is given back")
}
