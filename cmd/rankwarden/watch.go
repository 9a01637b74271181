package main

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

func (a *app) watchCommand() *cobra.Command {
	var forever bool
	var within time.Duration
	var group string
	cmd := &cobra.Command{
		Use:   "watch",
		Short: "Watch the standings of the fleet live, until every online device has reported back",
		Args:  cobra.NoArgs,
		Long: "Watch the fleet's standings, live, until every online device has reported back on the newest that is " +
			"asked of it.\n\n" +
			"Exit status: 0 all of them are verified and no setting is held; 1 something differs, failed or is held, " +
			"or not all have reported back within --within.",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			ctx := cmd.Context()
			if within > 0 {
				var cancel context.CancelFunc
				ctx, cancel = context.WithTimeout(ctx, within)
				defer cancel()
			}
			return a.watch(ctx, c, group, forever)
		},
	}
	cmd.Flags().StringVar(&group, "group", "", "only the devices of this `group`")
	_ = cmd.RegisterFlagCompletionFunc("group", a.completeGroups)
	cmd.Flags().BoolVar(&forever, "forever", false, "continue after all have reported back")
	cmd.Flags().DurationVar(&within, "within", 0, "give up after this `time`, such as 2m; 0 for never")
	return cmd
}

// watch prints the standings as they change, until every online device has reported back, or until it is interrupted.
// The answer is no while one is not verified, or has held settings.
func (a *app) watch(ctx context.Context, c *client.Client, group string, forever bool) error {
	next, stop := a.changesOf(ctx, c)
	defer stop()
	last, noted := "", map[string]bool{}
	for {
		o, err := c.OverviewOf(ctx, group)
		if errors.Is(err, context.DeadlineExceeded) {
			return a.gaveUp()
		}
		if err != nil {
			return err
		}
		if a.serviceNotes(o, noted) {
			last = "" // what was drawn has moved up
		}
		last = a.frame(o, last)
		if !forever && o.AllReported() {
			say, fine := outcome(o)
			if _, err := fmt.Fprintln(a.out, say); err != nil || fine {
				return err
			}
			return errNo
		}
		if err := next(); errors.Is(err, context.DeadlineExceeded) {
			return a.gaveUp()
		} else if err != nil {
			return err
		}
	}
}

// outcome says how online devices stand that have all reported back, and whether all is well.
func outcome(o api.Overview) (say string, fine bool) {
	held := plural(o.Standings.Held, "device has", "devices have") + " held settings"
	switch differ := o.Online - o.OnlineVerified; {
	case differ > 0 && o.Standings.Held > 0:
		return fmt.Sprintf("All online devices have reported back; on %d something differs or failed, and %s. See: "+
			"rankwarden drift, rankwarden held", differ, held), false
	case differ > 0:
		return fmt.Sprintf("All online devices have reported back; on %d something differs or failed. See: "+
			"rankwarden drift", differ), false
	case o.Standings.Held > 0:
		return "All online devices are verified; " + held + ". See: rankwarden held", false
	}
	return "All online devices are verified.", true
}

// changesOf gives a function that waits until something may have changed; stop ends listening.
func (a *app) changesOf(ctx context.Context, c *client.Client) (next func() error, stop func()) {
	changed := make(chan struct{}, 1)
	broken := make(chan error, 1)
	streamCtx, cancel := context.WithCancel(ctx)
	go func() {
		broken <- c.Notices(streamCtx, func(api.Notice) {
			select {
			case changed <- struct{}{}:
			default:
			}
		})
	}()
	again := time.NewTicker(5 * time.Second) // time passes without telling
	next = func() error {
		select {
		case <-ctx.Done():
			return ctx.Err()
		case err := <-broken:
			return err
		case <-changed:
		case <-again.C:
		}
		return nil
	}
	return next, func() { cancel(); again.Stop() }
}

func (a *app) gaveUp() error {
	fmt.Fprintln(a.out, "Not every online device has reported back yet; see: rankwarden device list --standing waiting")
	return errNo
}

// frame draws how the fleet stands: over the last frame on a terminal, a line for each change
// elsewhere.
// serviceNotes prints once what holds for every device, such as a freeze, and reports whether there was something new.
func (a *app) serviceNotes(o api.Overview, noted map[string]bool) (fresh bool) {
	for _, d := range o.Decisions {
		if (d.Kind == "frozen" || d.Kind == "returned") && !noted[d.Title] {
			noted[d.Title], fresh = true, true
			fmt.Fprintln(a.out, text.FgYellow.Sprint(a.wrapped("! "+d.Title+". "+d.Detail, 2)))
		}
	}
	return fresh
}

// frame prints the standings over those of before on a terminal, and as a further line elsewhere. It prints nothing
// when nothing changed, and gives the line that stands there.
func (a *app) frame(o api.Overview, last string) string {
	parts := partsOf(o.Standings)
	var words []string
	for _, p := range parts {
		words = append(words, paint(p.standing).Sprintf("%s %d", mark(p.standing), p.n))
	}
	line := fmt.Sprintf("%d of %d online verified   %s", o.OnlineVerified, o.Online, strings.Join(words, "   "))
	if line == last {
		return last
	}
	if a.width == 0 {
		fmt.Fprintln(a.out, line)
		return line
	}
	if last != "" {
		fmt.Fprint(a.out, text.CursorUp.Sprintn(2)+"\r")
	}
	fmt.Fprintf(a.out, "%s%s\n%s%s\n", text.EraseLine.Sprint(), bar(o.Standings, 60), text.EraseLine.Sprint(), line)
	return line
}
