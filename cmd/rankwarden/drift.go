package main

import (
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"rankwarden.example/client"
)

func (a *app) driftCommand() *cobra.Command {
	var q client.FindingQuery
	var most int
	cmd := &cobra.Command{
		Use: "drift", Short: "List findings: where devices differ from what is asked, and whose rule it breaks", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := client.All(most, func(p client.Page) (client.List[client.Finding], error) { return c.Findings(cmd.Context(), q, p) })
			if err != nil {
				return err
			}
			if most > 0 && len(items) > most {
				items = items[:most]
			}
			return list(a, items, "No finding is like that.",
				column[client.Finding]{title: "Device", value: func(f client.Finding) string { return f.Device }},
				column[client.Finding]{title: "Unit", value: func(f client.Finding) string { return f.UnitTitle }},
				column[client.Finding]{title: "What differs", wrap: 1, value: func(f client.Finding) string { return f.Words }, paint: func(f client.Finding) text.Colors {
					if f.State == "open" {
						return text.Colors{text.FgRed}
					}
					return nil
				}},
				column[client.Finding]{title: "Rule of", value: func(f client.Finding) string { return strings.Join(f.Assignments, ", ") }},
				column[client.Finding]{title: "State", value: func(f client.Finding) string { return strings.ReplaceAll(f.State, "_", " ") }},
				column[client.Finding]{title: "First seen", value: func(f client.Finding) string { return a.when(f.FirstSeen) }})
		},
	}
	f := cmd.Flags()
	f.StringVar(&q.State, "state", "open", "open, settled or put_right")
	f.StringVar(&q.Unit, "unit", "", "only this `unit`, such as membership.administrators")
	f.StringVar(&q.Kind, "kind", "", "only this `kind`, such as member_extra")
	f.StringVar(&q.Group, "group", "", "only devices in this `group`")
	f.IntVar(&most, "most", 200, "list at most so many; 0 for all")
	_ = cmd.RegisterFlagCompletionFunc("state", cobra.FixedCompletions([]string{"open", "settled", "put_right"}, cobra.ShellCompDirectiveNoFileComp))
	_ = cmd.RegisterFlagCompletionFunc("group", a.completeGroups)
	return cmd
}
