package main

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"rankwarden.example/api"
)

func (a *app) ladderCommand() *cobra.Command {
	var device, group, change string
	var differ bool
	cmd := &cobra.Command{
		Use:   "ladder",
		Short: "Show how assignments decide settings, rung by rung: for a device, a group or the fleet",
		Args:  cobra.NoArgs,
		Long: "Show assignments by rank and what each asks of every setting. Devices that meet the same assignments\n" +
			"are shown together. In front of a value: ● it decides, ○ it agrees, ✗ it loses, ◆ contested, ◌ on\n" +
			"trial. The last line is what the devices are told.",
		Example: "  rankwarden ladder --device SKL-TKT-001\n  rankwarden ladder --group ticket-desks --differ\n" +
			"  rankwarden ladder --group workshop --change close-workshop",
		RunE: func(cmd *cobra.Command, _ []string) error {
			if device != "" && group != "" {
				return unusable{errors.New("give --device or --group, not both")}
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			var edits []api.ChangeEdit
			if change != "" {
				x, err := c.Change(cmd.Context(), change)
				if err != nil {
					return err
				}
				edits = namesOfEdits(x.Edits)
			}
			l, err := c.Ladder(cmd.Context(), device, group, edits...)
			if err != nil {
				return err
			}
			return a.one(l, func() error { a.ladder(l, differ); return nil })
		},
	}
	f := cmd.Flags()
	f.StringVar(&device, "device", "", "ladder of this `device`")
	f.StringVar(&group, "group", "", "ladder of this `group`; the fleet without either")
	f.StringVar(&change, "change", "", "as if this `change` were applied")
	f.BoolVar(&differ, "differ", false, "only settings on which assignments differ")
	_ = cmd.RegisterFlagCompletionFunc("group", a.completeGroups)
	_ = cmd.RegisterFlagCompletionFunc("change", a.completeChanges)
	return cmd
}

func namesOfEdits(states []api.EditState) []api.ChangeEdit {
	edits := make([]api.ChangeEdit, len(states))
	for i, e := range states {
		edits[i] = e.ChangeEdit
	}
	return edits
}

func (a *app) ladder(l api.Ladder, differ bool) {
	fmt.Fprintf(
		a.out,
		"%s in %s\n",
		plural(l.Devices, "device", "devices"),
		plural(len(l.Ways)+l.More, "way", "different ways"),
	)
	for _, w := range l.Ways {
		names := strings.Join(w.First, ", ")
		if more := w.Devices - len(w.First); more > 0 {
			names += fmt.Sprintf(" and %d more", more)
		}
		fmt.Fprintf(
			a.out,
			"\n%s  %s\n",
			text.Bold.Sprint(plural(w.Devices, "device", "devices")),
			text.FgHiBlack.Sprint(names),
		)
		if w.Error != "" {
			fmt.Fprintf(a.out, "  %s %s\n", text.FgRed.Sprint("▲"), w.Error)
			continue
		}
		a.way(w, differ)
	}
	for _, w := range l.Warrants {
		fmt.Fprintf(a.out, "\n%s  %s\n", text.FgBlue.Sprint("◔ "+w.Title), w.Words)
	}
	if l.More > 0 {
		fmt.Fprintf(
			a.out,
			"\n%s with fewer devices not shown; name a group or a device.\n",
			plural(l.More, "way", "more ways"),
		)
	}
}

// way prints one way of meeting assignments: a block for each setting, with the claims on it by rank.
func (a *app) way(w api.Way, differ bool) {
	t := a.table()
	t.AppendHeader(table.Row{"Setting", "Rank", "Assignment", "Asks for"})
	for _, u := range w.Units {
		if differ && !u.Differs {
			continue
		}
		title := u.Title
		for _, r := range w.Rungs {
			at := slices.IndexFunc(r.Cells, func(c api.LadderCell) bool { return c.Unit == u.Unit })
			if at < 0 {
				continue
			}
			t.AppendRow(table.Row{title, r.Rank, r.Assignment, a.cell(r.Cells[at], r)})
			title = ""
		}
		settled := slices.IndexFunc(w.Settled, func(s api.LadderSettled) bool { return s.Unit == u.Unit })
		if settled >= 0 && w.Settled[settled].Held != "" {
			t.AppendRow(
				table.Row{"", "", text.FgMagenta.Sprint("▮▮ held"), text.FgMagenta.Sprint(w.Settled[settled].Held)},
			)
		}
	}
	columns := []table.ColumnConfig{{Number: 2, Align: text.AlignRight}}
	if a.width > 0 {
		columns = append(
			columns,
			table.ColumnConfig{Number: 4, WidthMax: max(30, a.width-70), WidthMaxEnforcer: text.WrapSoft},
		)
	}
	t.SetColumnConfigs(columns)
	t.Render()
}

// cell is what an assignment asks of a setting, with a sign for what became of it.
func (a *app) cell(c api.LadderCell, r api.Rung) string {
	say := c.Words
	switch c.State {
	case "decides":
		return text.FgGreen.Sprint("● ") + say
	case "agrees":
		return "○ " + say
	case "contested":
		return text.FgRed.Sprint("◆ " + say + "; contested")
	case "trial":
		if r.Undecided {
			return text.FgMagenta.Sprint("? " + say + "; unknown whether it applies")
		}
		return text.FgBlue.Sprint("◌ " + say + "; on trial")
	}
	return text.FgHiBlack.Sprint("✗ " + say + "; " + c.Why)
}
