package doubling_test

import (
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/internal/kit/doubling"
)

func TestWaitsDouble(t *testing.T) {
	wait := doubling.Wait{First: 10 * time.Second, Longest: time.Minute}
	for failures, want := range map[int]time.Duration{
		-1: 10 * time.Second, 0: 10 * time.Second, 1: 10 * time.Second, 2: 20 * time.Second, 3: 40 * time.Second,
		4:   time.Minute,
		100: time.Minute, math.MaxInt: time.Minute,
	} {
		assert.Equal(t, want, wait.After(failures), "%d", failures)
	}
	assert.Equal(t, time.Second, doubling.Wait{First: time.Minute, Longest: time.Second}.After(1))
}
