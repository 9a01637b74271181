package main

import (
	"context"
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/progress"
	"golang.org/x/term"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

// lookAgain is the time between two looks at orders that are waited for.
const lookAgain = 500 * time.Millisecond

// waitForOrders shows how far orders are until nothing more will come of any for now, or the caller leaves: what waits
// for a silent device may do so for days.
func (a *app) waitForOrders(ctx context.Context, c *client.Client, o api.OrderProgress) error {
	bar := progress.NewWriter()
	bar.SetOutputWriter(os.Stderr)
	bar.SetUpdateFrequency(lookAgain)
	bar.SetStyle(progress.StyleBlocks)
	bar.Style().Visibility.ETA = false
	tracker := &progress.Tracker{Message: "devices", Total: int64(o.Given)}
	bar.AppendTracker(tracker)
	if term.IsTerminal(int(os.Stderr.Fd())) { // no cursor codes go into a file
		go bar.Render()
	}
	defer bar.Stop()
	look := time.NewTicker(lookAgain)
	defer look.Stop()
	for o.Ended+o.Silent < o.Given {
		select {
		case <-ctx.Done():
			bar.Stop()
			fmt.Fprintf(a.out, "Stopped waiting. The orders continue: %s. See: rankwarden order list\n", inStates(o.By))
			return nil
		case <-look.C:
		}
		next, err := c.OrderProgress(ctx, o.Batch)
		if err != nil && ctx.Err() == nil {
			return err
		}
		if err == nil {
			o = next
			tracker.SetValue(int64(o.Ended))
			tracker.UpdateMessage(inStates(o.By))
		}
	}
	tracker.MarkAsDone()
	bar.Stop()
	err := a.did(o, "%s: %s%s.\n", plural(o.Given, "device", "devices"), inStates(o.By), waitsForSilent(o))
	switch failed := o.By["failed"]; {
	case err != nil:
		return err
	case failed > 0:
		return fmt.Errorf("%s failed; see: rankwarden order list", plural(failed, "order", "orders"))
	case o.By["done"] < o.Given:
		return errNo
	}
	return nil
}

// waitsForSilent says for how many devices orders wait that are silent.
func waitsForSilent(o api.OrderProgress) string {
	if o.Silent == 0 {
		return ""
	}
	return fmt.Sprintf("; %s silent, and it waits until they are heard from",
		plural(o.Silent, "device is", "devices are"))
}

// inStates says how many orders are in which state.
func inStates(by map[string]int) string {
	var parts []string
	for _, state := range slices.Sorted(maps.Keys(by)) {
		parts = append(parts, fmt.Sprintf("%d %s", by[state], state))
	}
	return strings.Join(parts, ", ")
}
