package main

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/present"
	"rankwarden.example/core/principal"
)

func (a *app) warrantCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "warrant",
		Short: "Warrants: rights for a time, and not a minute longer",
		Long: "A warrant makes somebody a member of a local group of named devices until a stated time. The device\n" +
			"takes the membership away by itself at the end, offline too. Whoever may deploy to the devices gives\n" +
			"one at once, unless settings ask for a second person; for everybody else somebody who may agrees.",
	}
	cmd.AddCommand(
		a.warrantAsk(),
		a.warrantList(),
		a.warrantShow(),
		a.warrantExtend(),
		a.decides(a.warrantDo("agree ID", "Agree to a warrant that somebody else asked for", "It is agreed to.\n",
			func(cmd *cobra.Command, c *client.Client, id, reason string) error {
				return a.deciding(cmd.Context(), c, func(c *client.Client) error {
					return c.DecideWarrant(cmd.Context(), id, true, reason)
				})
			})),
		a.decides(a.warrantDo("refuse ID", "Refuse a warrant that waits", "It is refused.\n",
			func(cmd *cobra.Command, c *client.Client, id, reason string) error {
				return a.deciding(cmd.Context(), c, func(c *client.Client) error {
					return c.DecideWarrant(cmd.Context(), id, false, reason)
				})
			})),
		a.warrantDo("take-back ID", "Take a warrant back before its end", "It is taken back; devices that are online "+
			"follow at once, others when they come back.\n",
			func(cmd *cobra.Command, c *client.Client, id, reason string) error {
				return c.TakeBackWarrant(cmd.Context(), id, reason)
			}),
	)
	return cmd
}

func (a *app) warrantAsk() *cobra.Command {
	var spec api.WarrantSpec
	var lasts time.Duration
	var from string
	cmd := &cobra.Command{
		Use:   "ask PRINCIPAL",
		Short: "Ask that somebody is a member of a local group for a time",
		Args:  cobra.ExactArgs(1),
		Long: "Ask that somebody is a member of a local group of some devices for a time. PRINCIPAL is a person or\n" +
			"group of the directory (user:asta.holm@skerryline.example), an identifier (sid:S-1-…) or a local\n" +
			"account (local:clerk). Without --from it begins now, or when it is agreed.\n\n" +
			"Exit status: 0 it runs or will, 6 it waits for somebody to agree.",
		Example: `  rankwarden warrant ask user:asta.holm@skerryline.example --device SKL-WKS-001 --reason "ticket " +
			"4711"`,
		RunE: func(cmd *cobra.Command, args []string) error {
			spec.Principal, spec.Minutes = args[0], int(lasts.Minutes())
			if from != "" {
				at, err := a.momentOf(from)
				if err != nil {
					return unusable{err}
				}
				spec.From = &at
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			return a.askWarrant(cmd.Context(), c, spec)
		},
	}
	f := cmd.Flags()
	f.StringSliceVar(&spec.Devices, "device", nil, "a `device`; several, or one list with commas")
	f.StringVar(&spec.LocalGroup, "local-group", "", "the local `group` (administrators)")
	f.DurationVar(&lasts, "for", 2*time.Hour, "how `long` it holds, such as 45m or 2h")
	f.StringVar(&from, "from", "", "when it begins: a `time` such as 14:30 or 2031-03-04 14:30")
	f.StringVar(&spec.Reason, "reason", "", "why, in your own `words`")
	f.StringVar(&spec.Ticket, "ticket", "", "the `ticket` that it belongs to")
	f.BoolVar(&spec.Despite, "despite", false, "also where a policy asks the opposite; somebody else must agree")
	f.BoolVar(&spec.EndSessions, "end-sessions", false, "end the sessions of this person with it")
	f.StringVar(&spec.Group, "group", "", "instead of devices: those of this `group`, as it is now")
	cmd.MarkFlagsOneRequired("device", "group")
	cmd.MarkFlagsMutuallyExclusive("device", "group")
	_ = cmd.MarkFlagRequired("reason")
	_ = cmd.RegisterFlagCompletionFunc("group", a.completeGroups)
	_ = cmd.RegisterFlagCompletionFunc("device", a.completeDevices)
	return cmd
}

// askWarrant asks for one, and says what became of that.
func (a *app) askWarrant(ctx context.Context, c *client.Client, spec api.WarrantSpec) error {
	made, err := c.AskWarrant(ctx, spec)
	if err != nil {
		return err
	}
	if err := a.one(made, func() error { a.warrantWords(made); return nil }); err != nil {
		return err
	}
	if made.State == "waiting" {
		return errWaits
	}
	return nil
}

// momentOf reads a time of day, or a day with one; a time of day that is over today is tomorrow's.
func (a *app) momentOf(s string) (time.Time, error) {
	if at, err := time.ParseInLocation("2006-01-02 15:04", s, time.Local); err == nil {
		return at, nil
	}
	if at, err := time.Parse(time.RFC3339, s); err == nil {
		return at, nil
	}
	at, err := time.ParseInLocation("15:04", s, time.Local)
	if err != nil {
		return at, fmt.Errorf("--from %q is no time; write one such as 14:30 or 2031-03-04 14:30", s)
	}
	now := a.now.Local()
	at = time.Date(now.Year(), now.Month(), now.Day(), at.Hour(), at.Minute(), 0, 0, time.Local)
	if at.Before(now.Add(-time.Minute)) {
		at = at.AddDate(0, 0, 1)
	}
	return at, nil
}

func (a *app) warrantList() *cobra.Command {
	var q client.WarrantQuery
	var ended bool
	cmd := &cobra.Command{
		Use: "list", Short: "List warrants, the latest first", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			q.Open = !ended && q.State == ""
			items, err := atMost(0, func(p client.Page) (client.List[api.Warrant], error) {
				return c.Warrants(cmd.Context(), q, p)
			})
			if err != nil {
				return err
			}
			type row = api.Warrant
			return list(
				a, items, "No warrant waits or runs. --all lists those that are over.",
				column[row]{title: "ID", value: func(x row) string { return x.ID }},
				column[row]{title: "Who", wrap: 1, value: func(x row) string { return holderOf(x) }},
				column[row]{title: "Local group", value: func(x row) string { return x.UnitTitle }},
				column[row]{title: "Devices", wrap: 1, value: func(x row) string { return someOf(x.Devices) }},
				column[row]{title: "State", value: warrantState},
				column[row]{title: "Until", value: warrantUntil},
				column[row]{title: "Asked by", value: func(x row) string { return x.AskedBy }},
				column[row]{title: "Reason", wrap: 1, value: func(x row) string { return x.Reason }},
			)
		},
	}
	cmd.Flags().StringVar(&q.State, "state", "",
		"only those in this `state`: waiting, agreed, refused, taken_back, ended")
	cmd.Flags().StringVar(&q.Device, "device", "", "only those on this `device`")
	cmd.Flags().BoolVar(&ended, "all", false, "also those that are over")
	_ = cmd.RegisterFlagCompletionFunc("device", a.completeDevices)
	return ofList(cmd)
}

func (a *app) warrantShow() *cobra.Command {
	return &cobra.Command{
		Use: "show ID", Short: "Show a warrant", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			w, err := c.Warrant(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			return a.one(w, func() error { a.warrantWords(w); return nil })
		},
	}
}

// warrantWords prints a warrant.
func (a *app) warrantWords(w api.Warrant) {
	fmt.Fprintf(a.out, "%s  %s\n", text.Bold.Sprint(w.ID), warrantState(w))
	line := func(title, value string) {
		if value != "" {
			fmt.Fprintf(a.out, "  %-12s %s\n", title, a.wrapped(value, 15))
		}
	}
	line("who", holderOf(w))
	line("member of", w.UnitTitle)
	if line("on", someOf(w.Devices)); w.Group != "" {
		line("", "the group "+w.Group+", as it was when it was asked for")
	}
	from, until := "when it is agreed", present.Minutes(w.Minutes)+" later"
	if w.From != nil {
		from, until = stampOf(*w.From), stampOf(*w.Until)
	}
	line("from", from)
	line("until", until)
	line("because", w.Reason)
	line("ticket", w.Ticket)
	if w.Despite {
		line("despite", "it holds also where a policy asks the opposite")
	}
	if w.EndSessions {
		line("at the end", "sessions of this person are ended")
	}
	line("people", someOf(w.People))
	line("asked by", w.AskedBy+", "+stampOf(w.AskedAt))
	if w.DecidedBy != "" {
		line("decided by", w.DecidedBy+", "+stampOf(*w.DecidedAt))
	}
	if w.EndedBy != "" {
		line("ended by", w.EndedBy+", "+stampOf(*w.EndedAt))
	}
	if w.State == "waiting" {
		for _, need := range w.Needs {
			line("waits", "for somebody to agree: "+need)
		}
		fmt.Fprintf(a.out, "\n  Whoever may deploy to the devices agrees with: rankwarden warrant agree %s\n", w.ID)
	}
	if w.Like > 2 {
		fmt.Fprintf(a.out, "\n  It is number %d like this within thirty days. Write a policy?\n", w.Like)
	}
}

func holderOf(w api.Warrant) string {
	ref, err := principal.Parse(w.Principal)
	if err != nil {
		return w.Principal
	}
	return present.Principal(ref)
}

var warrantStates = map[string]string{"waiting": "waits for somebody to agree", "refused": "refused",
	"taken_back": "taken back", "ended": "over"}

func warrantState(w api.Warrant) string {
	switch {
	case w.Runs:
		return "runs"
	case w.State == "agreed":
		return "agreed, begins later"
	}
	return warrantStates[w.State]
}

func warrantUntil(w api.Warrant) string {
	if w.Until == nil {
		return present.Minutes(w.Minutes) + " from then"
	}
	return stampOf(*w.Until)
}

func stampOf(at time.Time) string { return at.Local().Format("2006-01-02 15:04") }

// someOf are the first of some names, and how many more there are.
func someOf(names []string) string {
	const most = 6
	if len(names) <= most {
		return strings.Join(names, ", ")
	}
	return fmt.Sprintf("%s and %d more", strings.Join(names[:most], ", "), len(names)-most)
}

func (a *app) warrantDo(
	use, short, said string, do func(cmd *cobra.Command, c *client.Client, id, reason string) error,
) *cobra.Command {
	var reason string
	cmd := &cobra.Command{
		Use: use, Short: short, Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			if err := do(cmd, c, args[0], reason); err != nil {
				return err
			}
			return a.did(done{Done: strings.Fields(use)[0], Name: args[0]}, "%s", said)
		},
	}
	cmd.Flags().StringVar(&reason, "reason", "", "why, in your own `words`")
	return cmd
}
