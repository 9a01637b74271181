package main

import (
	"cmp"
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

func (a *app) rolloutStart() *cobra.Command {
	var how api.StartRollout
	var gate gateFlags
	cmd := &cobra.Command{
		Use:   "start CHANGE",
		Short: "Take a change out in waves, after its preview",
		Args:  cobra.ExactArgs(1),
		Long: "Print the preview of a change, ask, and take it out in waves: first the groups of --first (or the\n" +
			"group first-wave, or 1 % of the devices), then growing shares of all devices, then the rest. Each\n" +
			"wave must pass its gate before the next one opens. Where a second person must approve, the change\n" +
			"waits for one, and is started with the same command afterwards.\n\n" +
			"Exit status: 0 it is started; 6 it waits for a second person.",
		Example: "  rankwarden rollout start longer-passwords --first head-office --shares 10,50 --soak 1h\n" +
			"  rankwarden rollout start lock-sooner --at-once",
		ValidArgsFunction: a.completeChanges,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			x, p, err := a.readPreview(cmd.Context(), c, args[0])
			if err != nil {
				return err
			}
			defaults, err := c.RolloutDefaults(cmd.Context())
			if err != nil {
				return err
			}
			how.Change, how.Digest, how.Gate = x.Name, cmp.Or(a.door.expect, p.Digest), &defaults.Gate
			gate.alter(cmd, how.Gate)
			if a.door.expect == "" && !a.door.yes {
				if err := confirm(fmt.Sprintf("Take %s out %s? [y/N] ", x.Name, goesOut(how))); err != nil {
					return err
				}
			}
			step, err := c.StartRollout(cmd.Context(), how)
			if err != nil {
				return err
			}
			return a.stepped(step, "Started the rollout of %s. See: rankwarden rollout watch %s\n", x.Name, x.Name)
		},
	}
	f := cmd.Flags()
	f.StringSliceVar(&how.First, "first", nil, "`groups` whose devices go first")
	f.IntSliceVar(
		&how.Shares,
		"shares",
		nil,
		"`percent` of all devices once each of the next waves is open, growing; 10,50 when left out",
	)
	gate.add(f)
	f.BoolVar(&how.AtOnce, "at-once", false, "all devices in one wave, for an emergency")
	a.atTheDoor(cmd)
	cmd.MarkFlagsMutuallyExclusive("at-once", "first")
	cmd.MarkFlagsMutuallyExclusive("at-once", "shares")
	_ = cmd.RegisterFlagCompletionFunc("first", a.completeGroups)
	return cmd
}

// gateFlags alter the gate of the service's defaults.
type gateFlags struct {
	verified, failed, heard int // percent
	soak                    time.Duration
}

func (g *gateFlags) add(f *pflag.FlagSet) {
	f.IntVar(&g.verified, "verified", 80,
		"a wave passes when at least so many `percent` of its devices heard from are verified")
	f.IntVar(&g.failed, "failed", 2, "the rollout stops when more than so many `percent` fail")
	f.IntVar(&g.heard, "heard", 90, "a wave passes when at least so many `percent` of its devices that were online "+
		"when it opened were heard from since")
	f.DurationVar(&g.soak, "soak", 0,
		"a wave passes no sooner than this `time` after it opened; what the service says when left out")
}

// alter sets what was given.
func (g *gateFlags) alter(cmd *cobra.Command, gate *api.Gate) {
	for name, set := range map[string]func(){
		"verified": func() { gate.Verified = g.verified },
		"failed":   func() { gate.Failed = g.failed },
		"heard":    func() { gate.Heard = g.heard },
		"soak":     func() { gate.SoakSeconds = int(g.soak.Seconds()) },
	} {
		if cmd.Flags().Changed(name) {
			set()
		}
	}
}

func goesOut(how api.StartRollout) string {
	if how.AtOnce {
		return "to all of its devices at once"
	}
	return "in waves"
}

// stepped says what a step came to. While the change waits for a second person the exit status says so.
func (a *app) stepped(step api.RolloutStep, format string, args ...any) error {
	if step.Rollout != nil {
		return a.did(step.Rollout, format, args...)
	}
	return a.notYet(*step.Change)
}

// rolloutStep makes a command that does one thing with a rollout, with a reason.
func (a *app) rolloutStep(
	use, short, long string, needsReason bool,
	do func(ctx context.Context, c *client.Client, change, reason string) error,
) *cobra.Command {
	var reason string
	cmd := &cobra.Command{
		Use: use + " CHANGE", Short: short, Long: long, Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeRollouts,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			return do(cmd.Context(), c, args[0], reason)
		},
	}
	cmd.Flags().StringVar(&reason, "reason", "", "why, in your own `words`; it is kept with the decision")
	if needsReason {
		_ = cmd.MarkFlagRequired("reason")
	}
	return cmd
}

func (a *app) rolloutPause() *cobra.Command {
	return a.rolloutStep("pause", "Hold a rollout: no further wave opens", "", false,
		func(ctx context.Context, c *client.Client, change, reason string) error {
			step, err := c.PauseRollout(ctx, change, reason)
			if err != nil {
				return err
			}
			return a.stepped(step, "Paused the rollout of %s. Devices that have the change keep it.\n", change)
		})
}

func (a *app) rolloutOpen() *cobra.Command {
	return a.decides(a.rolloutStep("open", "Open the next wave before its gate is passed", "", true,
		func(ctx context.Context, c *client.Client, change, reason string) error {
			var step api.RolloutStep
			err := a.deciding(ctx, c, func(c *client.Client) (err error) {
				step, err = c.OpenWave(ctx, change, reason)
				return err
			})
			if err != nil {
				return err
			}
			if r := step.Rollout; r.Asked != nil {
				if err := a.did(r, "Asked. Somebody else with the right to deploy must open wave %d: rankwarden "+
					"rollout open %s --reason ...\n", r.Asked.Wave, change); err != nil {
					return err
				}
				return errWaits
			}
			return a.stepped(step, "Opened wave %d of %s.\n", step.Rollout.OpenWaves, change)
		}))
}

func (a *app) rolloutRevert() *cobra.Command {
	var giveBack bool
	cmd := a.rolloutStep(
		"revert",
		"Take the change of a rollout back from every device that has it",
		"Every device that has the change goes back to what it resolves to without it, and the change is closed. "+
			"With\n"+
			"--give-back the devices also give back the members and values that the change took away, "+
			"where nobody altered\n"+
			"them since. See what came of it: rankwarden events --kind given_back, and --kind not_given_back.",
		true,
		func(ctx context.Context, c *client.Client, change, reason string) error {
			step, err := c.RevertRollout(ctx, change, reason, giveBack)
			if err != nil {
				return err
			}
			return a.stepped(step, "Reverted %s. See: rankwarden watch\n", change)
		},
	)
	cmd.Flags().BoolVar(&giveBack, "give-back", false, "give back the members and values that the change took away")
	return cmd
}

func (a *app) rolloutResume() *cobra.Command {
	cmd := a.rolloutStep(
		"resume",
		"Go on with a rollout that is paused or stopped",
		"After a stop a reason is needed, the open wave soaks again, and devices that failed count once they report "+
			"again.\n"+
			"Where the change was edited meanwhile its preview is printed, and it goes on with the change as it is "+
			"now.",
		false,
		func(ctx context.Context, c *client.Client, change, reason string) error {
			r, err := c.Rollout(ctx, change)
			if err != nil {
				return err
			}
			digest := ""
			if r.Edited {
				_, p, err := a.readPreview(ctx, c, change)
				if err != nil {
					return err
				}
				if a.door.expect == "" && !a.door.yes {
					if err := confirm(fmt.Sprintf("Go on with %s as it is now? [y/N] ", change)); err != nil {
						return err
					}
				}
				digest = cmp.Or(a.door.expect, p.Digest)
			}
			step, err := c.ResumeRollout(ctx, change, reason, digest)
			if err != nil {
				return err
			}
			return a.stepped(step, "Resumed the rollout of %s. See: rankwarden rollout watch %s\n", change, change)
		},
	)
	return a.atTheDoor(cmd)
}

func (a *app) rolloutWatch() *cobra.Command {
	return &cobra.Command{
		Use:   "watch CHANGE",
		Short: "Watch a rollout live, until it ends, stops or is paused",
		Args:  cobra.ExactArgs(1),
		Long: "Watch a rollout live. Leave with Ctrl-C: the rollout goes on, and can be watched again.\n\n" +
			"Exit status: 0 it is done; 1 it is stopped, paused or reverted.",
		ValidArgsFunction: a.completeRollouts,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			return a.watchRollout(cmd.Context(), c, args[0])
		},
	}
}

// watchRollout prints how a rollout goes until it ends, stops or is interrupted.
func (a *app) watchRollout(ctx context.Context, c *client.Client, change string) error {
	next, stop := a.changesOf(ctx, c)
	defer stop()
	last := ""
	for {
		r, err := c.Rollout(ctx, change)
		if err != nil {
			return err
		}
		last = a.rolloutFrame(r, last)
		switch {
		case r.State == "done" && r.EndedAt != nil:
			return nil
		case r.State == "stopped" || r.State == "paused" || r.State == "reverted":
			return errNo
		}
		if err := next(); err != nil {
			return err
		}
	}
}

// rolloutFrame draws a rollout over the last frame on a terminal; elsewhere it writes a line for each change.
func (a *app) rolloutFrame(r api.Rollout, last string) string {
	if a.width == 0 {
		line := fmt.Sprintf(
			"%s: %s, wave %d of %d, %d of %d verified, %d failed",
			r.Change,
			rolloutWords[r.State],
			r.OpenWaves,
			r.Waves,
			r.Tally.Verified,
			r.Tally.Devices(),
			r.Tally.Failed+r.Tally.GuardRefused+r.Tally.Lost,
		)
		if line != last {
			fmt.Fprintln(a.out, line)
		}
		return line
	}
	page := a.rolloutPage(r)
	if last != "" {
		fmt.Fprintf(a.out, "\x1b[%dA\x1b[J", strings.Count(last, "\n"))
	}
	fmt.Fprint(a.out, page)
	return page
}
