package main

import (
	"context"
	"fmt"
	"io"
	"os"
	"time"

	"golang.org/x/term"

	"rankwarden.example/api"
	"rankwarden.example/demo"
)

const (
	lookEvery = 2 * time.Second // at the fleet, for the terminal
	sayEvery  = time.Minute     // where lines cannot be written over
)

// standing keeps one line of the terminal saying how the fleet stands. Where the output is no terminal, it
// says so when that changed, at most once a minute.
func (d *demoRun) standing(ctx context.Context, password string) {
	begin, end, pause := "", "\n", sayEvery
	if isTerminal(d.out) {
		begin, end, pause = "\r\x1b[K", "", lookEvery
	}
	look := time.NewTicker(lookEvery)
	defer look.Stop()
	said, at := "", time.Time{}
	for {
		o, err := d.client.Overview(ctx)
		if err != nil && ctx.Err() == nil {
			// The session may have ended by now; any other trouble shows at the next look.
			_, _ = d.client.SignIn(ctx, demo.Owner, password)
		}
		if line := standingLine(o); err == nil && o.Devices > 0 && line != said && time.Since(at) >= pause {
			fmt.Fprint(d.out, begin, line, end)
			said, at = line, time.Now()
		}
		select {
		case <-ctx.Done():
			return
		case <-look.C:
		}
	}
}

// standingLine is how the fleet stands, in one line.
func standingLine(o api.Overview) string {
	line := fmt.Sprintf("  %d devices: %d in step", o.Devices, o.Standings.InStep)
	for _, part := range []struct {
		n    int
		word string
	}{{o.Standings.Drifted, "drifted"}, {o.Standings.Waiting, "waiting"}, {o.Standings.Held, "held"},
		{o.Standings.Silent, "silent"}} {
		if part.n > 0 {
			line += fmt.Sprintf(", %d %s", part.n, part.word)
		}
	}
	return line
}

func isTerminal(w io.Writer) bool {
	f, ok := w.(*os.File)
	return ok && term.IsTerminal(int(f.Fd()))
}
