package simulated

import (
	"context"
	"errors"
	"time"

	"rankwarden.example/internal/agent/host/hosttest"
)

// Bench is a workstation with the hands of somebody who works there. Its time is that of the machine it runs on, until
// whoever uses it gives it another.
func Bench(w *Workstation, second func() error) *hosttest.Bench {
	return &hosttest.Bench{
		Host: w,
		SignIn: func(_ context.Context, name, password string) error {
			err := w.SignIn(name, password)
			if err == nil {
				w.signOut(name)
			}
			return err
		},
		Stay: func(_ context.Context, name, password string) (func() bool, error) {
			sid := w.Find(name)
			return func() bool { return w.SignedIn(sid) }, w.SignIn(name, password)
		},
		Change: w.Change,
		Later:  func(time.Duration) error { return errors.New("the time of this machine cannot be moved") },
		Second: second,
	}
}
