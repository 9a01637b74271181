package hosttest

import (
	"context"
	"errors"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/unit"
)

// Hidden is something that somebody did to a machine by hand, that no file which the host writes shows, and that the
// host must find all the same.
type Hidden struct {
	Name    string // continues a sentence that begins with "a host finds"
	Do      func(ctx context.Context) error
	Undo    func(ctx context.Context) error
	Lockout bool // a lockout holds before
	Found   func(state drift.State) bool
}

// HiddenChecks are a check for each.
func HiddenChecks(list []Hidden) []Check {
	var checks []Check
	for _, h := range list {
		checks = append(checks, Check{"finds " + h.Name, h.check})
	}
	return checks
}

func (h Hidden) check(b *bench) {
	if h.Lockout {
		b.lockout(unit.LockoutRule{Threshold: 3, DurationMinutes: 10, WindowMinutes: 10})
	}
	err := h.Do(b.ctx)
	put := func() error { return h.Undo(context.WithoutCancel(b.ctx)) }
	defer func() { // before what held earlier is put back
		if r := recover(); r != nil {
			failed, ours := r.(failure)
			if !ours {
				panic(r)
			}
			panic(failure{errors.Join(failed.error, put())})
		}
		b.must("putting it back", put())
		b.comes("it is found no more", func() bool { return !h.Found(b.state()) })
	}()
	b.must("doing it", err)
	b.comes("it is found", func() bool { return h.Found(b.state()) })
}
