package main

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"rankwarden.example/api"
)

// door is how a command that may alter what devices are told says that somebody has looked.
type door struct {
	expect string // digest of the preview
	reason string
	yes    bool
}

// atTheDoor gives a command the options with which it says that somebody has looked at what it does, and why.
func (a *app) atTheDoor(cmd *cobra.Command) *cobra.Command {
	f := cmd.Flags()
	f.StringVar(&a.door.expect, "expect", "", "`digest` of the preview you have seen: do exactly that, or nothing")
	f.BoolVar(&a.door.yes, "yes", false, "do not ask")
	if f.Lookup("reason") == nil {
		f.StringVar(&a.door.reason, "reason", "",
			"why, in your own `words`; needed where it gives, takes or moves a way in")
	}
	return cmd
}

// look prints what a call would do, and asks whether to do it; with no preview only a reason is asked for.
func (a *app) look(_ context.Context, p *api.Preview) (reason string, err error) {
	if p != nil {
		if err := a.mayGoOn(*p); err != nil {
			return "", err
		}
	}
	if reason = strings.TrimSpace(a.door.reason); reason != "" || p != nil && len(p.Ways) == 0 {
		return reason, nil
	}
	if !term.IsTerminal(int(os.Stdin.Fd())) {
		return "", unusable{errors.New("say why with --reason: it gives, takes or moves a way in")}
	}
	reason, err = askLine("Why? ")
	if err == nil && strings.TrimSpace(reason) == "" {
		err = errNotConfirmed
	}
	a.door.reason = reason
	return reason, err
}

// mayGoOn shows a preview, and asks.
func (a *app) mayGoOn(p api.Preview) error {
	fmt.Fprintln(a.err, inOneLine(p))
	for _, way := range p.Ways {
		fmt.Fprintf(a.err, "  %s: %s\n", way.Words, whereOf(way))
	}
	for _, why := range p.Needs {
		fmt.Fprintf(a.err, "A second person must agree: %s.\n", why)
	}
	if a.door.yes {
		return nil
	}
	if !term.IsTerminal(int(os.Stdin.Fd())) {
		return unusable{fmt.Errorf("there is nobody to ask; look at this, and do exactly it with: --expect %s",
			p.Digest)}
	}
	return confirm(cmp.Or(map[bool]string{true: "Ask for it? [y/N] "}[len(p.Needs) > 0], "Do it? [y/N] "))
}

// inOneLine says what a call would do.
func inOneLine(p api.Preview) string {
	return fmt.Sprintf("%d of %s would be told something else.", p.Devices, plural(p.Fleet, "device", "devices"))
}

func whereOf(w api.WayIn) string {
	switch {
	case w.Anyone && w.Devices == 0:
		return "whichever device comes"
	case w.Anyone:
		return plural(w.Devices, "device", "devices") + ", and whichever comes"
	}
	return plural(w.Devices, "device", "devices")
}
