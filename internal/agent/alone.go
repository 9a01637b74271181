package agent

import (
	"errors"
	"fmt"
	"path/filepath"

	"github.com/gofrs/flock"
)

// ErrSecond is given to a second agent of one device: two would undo each other's work.
var ErrSecond = errors.New("another agent works with this state directory, or on this machine; end it first")

// Alone sees that no other agent works with a directory, until it is released or the process ends.
func Alone(dir string) (release func(), err error) { return AloneAt(filepath.Join(dir, "lock")) }

// AloneAt is [Alone] by the file that stands for what agents work with.
func AloneAt(path string) (release func(), err error) {
	lock := flock.New(path)
	got, err := lock.TryLock()
	if err != nil {
		return nil, fmt.Errorf("agent state: %w", err)
	}
	if !got {
		return nil, fmt.Errorf("%w: %s", ErrSecond, path)
	}
	return func() { _ = lock.Unlock() }, nil
}
