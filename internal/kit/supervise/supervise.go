// Package supervise runs goroutines that cannot end the process, whatever panics in them.
package supervise

import (
	"context"
	"log/slog"
	"runtime/debug"
	"time"
)

// Recover logs a panic instead of letting it end the process. Defer it in every goroutine, and in
// whatever another library runs in one of its own: no request ever ends the process.
func Recover(log *slog.Logger, what string) {
	if r := recover(); r != nil {
		log.Error("a panic was caught", "in", what, "panic", r, "stack", string(debug.Stack()))
	}
}

// Go runs something in a goroutine that cannot end the process.
func Go(log *slog.Logger, what string, do func()) {
	go func() {
		defer Recover(log, what)
		do()
	}()
}

// Forever runs a loop until the context ends, and again when it ended before, as by a panic.
func Forever(ctx context.Context, log *slog.Logger, what string, loop func(ctx context.Context)) {
	const pause = time.Second
	for ctx.Err() == nil {
		func() {
			defer Recover(log, what)
			loop(ctx)
		}()
		select {
		case <-ctx.Done():
		case <-time.After(pause):
		}
	}
}
