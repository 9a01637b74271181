package main

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

func (a *app) rolloutCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "rollout",
		Short: "Rollouts: take a change to the devices in waves, each of which must pass a gate",
		Long: "A rollout takes a change out. A device gets it once its wave is open. The next wave opens when\n" +
			"enough devices of the last one are verified, few failed, no guard refused, and the soak time is\n" +
			"over. When too many fail, the rollout stops by itself. Rollouts are named by their change.",
	}
	cmd.AddCommand(
		a.rolloutList(), a.rolloutShow(), a.rolloutDevices(), a.rolloutStart(), a.rolloutWatch(), a.rolloutPause(),
		a.rolloutResume(), a.rolloutOpen(), a.rolloutRevert(),
	)
	return cmd
}

// rolloutWords say where a rollout stands.
var rolloutWords = map[string]string{
	"running": "under way", "paused": "paused", "stopped": "stopped", "done": "done", "reverted": "reverted",
}

func (a *app) rolloutList() *cobra.Command {
	var everything bool
	cmd := &cobra.Command{
		Use: "list", Short: "List the rollouts under way, the latest first", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := client.All(0, func(p client.Page) (client.List[api.RolloutSummary], error) {
				return c.Rollouts(cmd.Context(), !everything, p)
			})
			if err != nil {
				return err
			}
			type row = api.RolloutSummary
			return list(
				a,
				items,
				"No rollout is under way. Run: rankwarden rollout start CHANGE",
				column[row]{title: "Change", value: func(x row) string { return x.Change }},
				column[row]{title: "State", value: func(x row) string { return rolloutWords[x.State] }},
				column[row]{title: "Waves", right: true, value: func(x row) string {
					return fmt.Sprintf("%d of %d", x.OpenWaves, x.Waves)
				}},
				column[row]{title: "Verified", right: true, value: func(x row) string {
					return fmt.Sprintf("%d of %d", x.Tally.Verified, x.Tally.Devices())
				}},
				column[row]{title: "Failed", right: true, value: func(x row) string {
					return strconv.Itoa(x.Tally.Failed + x.Tally.GuardRefused + x.Tally.Lost)
				}},
				column[row]{title: "Started", value: func(x row) string { return a.sometime(&x.StartedAt, "") }},
				column[row]{title: "By", value: func(x row) string { return x.StartedBy }},
				column[row]{title: "Last", wrap: 1, value: func(x row) string { return x.Said }},
			)
		},
	}
	cmd.Flags().BoolVar(&everything, "all", false, "also those that have ended")
	return ofList(cmd)
}

func (a *app) rolloutShow() *cobra.Command {
	return &cobra.Command{
		Use: "show CHANGE", Short: "Show a rollout: its waves, gates and decisions", Args: cobra.ExactArgs(1),
		ValidArgsFunction: a.completeRollouts,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			r, err := c.Rollout(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			return a.one(r, func() error {
				fmt.Fprint(a.out, a.rolloutPage(r))
				return nil
			})
		},
	}
}

// rolloutPage is a rollout as a reader sees it.
func (a *app) rolloutPage(r api.Rollout) string {
	var b strings.Builder
	title := r.Change
	if r.Title != "" {
		title = r.Title + " (" + r.Change + ")"
	}
	fmt.Fprintf(&b, "%s  %s\n", text.Bold.Sprint(title), rolloutPaint(r.State).Sprint(rolloutWords[r.State]))
	fmt.Fprintf(&b, "started %s by %s, %s\n", a.sometime(&r.StartedAt, ""), r.StartedBy,
		plural(r.Tally.Devices(), "device", "devices"))
	if r.Trouble != "" {
		fmt.Fprintf(&b, "%s\n", text.FgRed.Sprint("It cannot come to its end: "+r.Trouble))
	}
	if r.Edited {
		fmt.Fprintf(&b, "The change was edited since. Resuming takes it out as it is now.\n")
	}
	if r.Asked != nil {
		fmt.Fprintf(&b, "%s asks a second person to open wave %d early: %s\n", r.Asked.By, r.Asked.Wave, r.Asked.Reason)
	}
	for _, l := range r.Lanes {
		fmt.Fprintf(&b, "\n%s  %s%s\n", text.Bold.Sprintf("Wave %d, %s", l.Wave, l.Title),
			plural(l.Devices, "device", "devices"), a.opened(l))
		fmt.Fprintf(&b, "  %s\n", laneBar(l))
		for _, g := range l.Gate {
			sign := text.FgHiBlack.Sprint("◔")
			switch {
			case g.Broken:
				sign = text.FgRed.Sprint("✗")
			case g.Met:
				sign = text.FgGreen.Sprint("✓")
			}
			fmt.Fprintf(&b, "  %s %s\n", sign, g.Words)
		}
		if l.Stuck != "" {
			fmt.Fprintf(&b, "  %s.\n", text.FgYellow.Sprint(l.Stuck))
		}
	}
	fmt.Fprintf(&b, "\n%s\n", text.Bold.Sprint("Decisions"))
	const shown = 8
	for _, d := range r.Decisions[:min(shown, len(r.Decisions))] {
		by := d.By
		if by == "" {
			by = "gate"
		}
		fmt.Fprintf(
			&b,
			"  %s  %s %s\n",
			text.FgHiBlack.Sprint(d.At.Local().Format("15:04:05")),
			text.Bold.Sprint(by),
			d.Words,
		)
	}
	if more := len(r.Decisions) - shown; more > 0 {
		fmt.Fprintf(&b, "  and %d earlier; all of them: --output json\n", more)
	}
	return b.String()
}

func (a *app) opened(l api.Lane) string {
	switch {
	case l.OpenedAt == nil:
		return ", not open"
	case l.PassedAt != nil:
		return ", passed after " + l.PassedAt.Sub(*l.OpenedAt).Round(time.Second).String()
	}
	return ", open since " + l.OpenedAt.Local().Format("15:04:05")
}

func rolloutPaint(state string) text.Color {
	switch state {
	case "stopped", "reverted":
		return text.FgRed
	case "done":
		return text.FgGreen
	}
	return text.FgBlue
}

// laneBar counts the devices of a wave by outcome, after a bar of them.
func laneBar(l api.Lane) string {
	parts := []struct {
		n     int
		mark  string
		word  string
		color text.Color
	}{
		{l.Tally.Verified, "●", "verified", text.FgGreen},
		{l.Tally.Lost, "◇", "lost: silent since they were told", text.FgRed},
		{l.Tally.Failed, "◆", "failed", text.FgRed},
		{l.Tally.GuardRefused, "◆", "refused by the guard", text.FgRed},
		{l.Tally.Held, "▮", "held", text.FgMagenta},
		{l.Tally.Working, "◔", "working", text.FgBlue},
		{l.Tally.Told, "○", "not heard from", text.FgHiBlack},
		{l.Tally.Late, "◌", "waiting to join", text.FgYellow},
		{l.Tally.NotOpen, "·", "not open", text.FgHiBlack},
	}
	const width = 40
	bar, words := "", []string{}
	for _, p := range parts {
		if p.n == 0 {
			continue
		}
		cells := p.n
		if l.Devices > width {
			cells = max(1, p.n*width/l.Devices)
		}
		bar += p.color.Sprint(strings.Repeat(p.mark, cells))
		words = append(words, p.color.Sprintf("%d %s", p.n, p.word))
	}
	return bar + "  " + strings.Join(words, ", ")
}

func (a *app) rolloutDevices() *cobra.Command {
	var wave int
	var outcome string
	cmd := &cobra.Command{
		Use: "devices CHANGE", Short: "List what devices made of a rollout's change", Args: cobra.ExactArgs(1),
		Example:           "  rankwarden rollout devices longer-passwords --outcome failed",
		ValidArgsFunction: a.completeRollouts,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := client.All(0, func(p client.Page) (client.List[api.RolloutDevice], error) {
				return c.RolloutDevices(cmd.Context(), args[0], wave, outcome, p)
			})
			if err != nil {
				return err
			}
			type row = api.RolloutDevice
			return list(
				a,
				items,
				"No device of the rollout is like that.",
				column[row]{title: "Device", value: func(x row) string { return x.Device }},
				column[row]{title: "Wave", right: true, value: func(x row) string { return strconv.Itoa(x.Wave) }},
				column[row]{title: "What it made of it", wrap: 1, value: func(x row) string { return x.Words }},
			)
		},
	}
	cmd.Flags().IntVar(&wave, "wave", 0, "only those of this `wave`, from 1")
	cmd.Flags().
		StringVar(&outcome, "outcome", "", "only those with this `outcome`: not_open, told, working, verified, "+
			"failed, guard_refused, held, lost or late")
	return ofList(cmd)
}

func (a *app) completeRollouts(cmd *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	return a.complete(func(c *client.Client) ([]string, error) {
		page, err := c.Rollouts(cmd.Context(), false, client.Page{Limit: 100})
		return namesOf(page.Items, func(x api.RolloutSummary) string { return x.Change }), err
	})
}
