package agent

import (
	"context"

	"rankwarden.example/internal/agent/host"
)

// takeHelp keeps what somebody who is locked out should do, and has the system say it where it can. Where it
// cannot, the status of the device says it all the same.
func (a *Agent) takeHelp(ctx context.Context, text string) {
	if a.helped && text == a.journal.Help {
		return
	}
	a.journal.Help, a.helped = text, false // until the system says it; one that fails is tried again
	shows, can := a.Host.(host.ShowsHelp)
	if !can {
		return
	}
	if err := shows.ShowHelp(ctx, text); err != nil {
		a.Log.Warn("the text for people who are locked out is not shown at sign-in", "error", err)
		return
	}
	a.helped = true
}
