// Package doubling says how long to wait before the next attempt where the number of failures is kept somewhere, such
// as in the database or in a device's journal. Loops in memory use a library.
package doubling

import "time"

// Wait is the wait after a first failure; it doubles with each, up to the longest.
type Wait struct{ First, Longest time.Duration }

// After is the wait after so many failures in a row, 1 for the first. It is never negative, and does not overflow.
func (w Wait) After(failures int) time.Duration {
	wait := w.First
	for n := 1; n < failures && wait < w.Longest; n++ {
		wait *= 2
	}
	return min(wait, w.Longest)
}
