package main

import (
	"fmt"
	"strconv"

	"github.com/spf13/cobra"

	"rankwarden.example/client"
)

func (a *app) groupCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "group", Short: "Groups of devices"}
	cmd.AddCommand(a.groupList(), a.groupShow(), a.groupMake(), a.groupEdit(), a.groupRemove())
	return cmd
}

func (a *app) groupList() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "List groups", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := client.All(0, func(p client.Page) (client.List[client.GroupSummary], error) { return c.Groups(cmd.Context(), "", p) })
			if err != nil {
				return err
			}
			return list(a, items, "There is no group yet. Run: rankwarden group make NAME DEVICE...",
				column[client.GroupSummary]{title: "Group", value: func(g client.GroupSummary) string { return g.Name }},
				column[client.GroupSummary]{title: "Named", right: true, value: func(g client.GroupSummary) string { return strconv.Itoa(g.Listed) }},
				column[client.GroupSummary]{title: "Enrolled", right: true, value: func(g client.GroupSummary) string { return strconv.Itoa(g.Enrolled) }},
				column[client.GroupSummary]{title: "Description", wrap: 1, value: func(g client.GroupSummary) string { return g.Description }})
		},
	}
}

func (a *app) groupShow() *cobra.Command {
	return &cobra.Command{
		Use: "show NAME", Short: "List the devices in a group", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeGroups,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := client.All(0, func(p client.Page) (client.List[client.GroupMember], error) {
				return c.GroupDevices(cmd.Context(), args[0], p)
			})
			if err != nil {
				return err
			}
			return list(a, items, "The group is empty. Run: rankwarden group edit "+args[0]+" --add DEVICE",
				column[client.GroupMember]{title: "Device", value: func(m client.GroupMember) string { return m.Name }},
				column[client.GroupMember]{title: "Enrolled as", value: func(m client.GroupMember) string {
					if m.Device == "" {
						return "not yet"
					}
					return m.Device
				}})
		},
	}
}

func (a *app) groupMake() *cobra.Command {
	var description string
	cmd := &cobra.Command{
		Use: "make NAME [DEVICE...]", Short: "Make a group of named devices, enrolled or not yet", Args: cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			g, err := c.NewGroup(cmd.Context(), args[0], description, args[1:])
			if err != nil {
				return err
			}
			_, err = fmt.Fprintf(a.out, "Made the group %s with %s.\n", g.Name, plural(len(args)-1, "device", "devices"))
			return err
		},
	}
	cmd.Flags().StringVar(&description, "description", "", "what it is for")
	return cmd
}

func (a *app) groupEdit() *cobra.Command {
	var add, remove []string
	cmd := &cobra.Command{
		Use: "edit NAME", Short: "Put devices into a group, take devices out", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeGroups,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			if len(add)+len(remove) == 0 {
				return unusable{fmt.Errorf("say what to change: --add DEVICE, --remove DEVICE")}
			}
			g, err := c.Group(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			if _, err := c.ChangeGroup(cmd.Context(), g.Name, add, remove, g.Version); err != nil {
				return err
			}
			_, err = fmt.Fprintf(a.out, "Changed %s: %d put in, %d taken out. Its devices are settled again now.\n", g.Name, len(add), len(remove))
			return err
		},
	}
	cmd.Flags().StringSliceVar(&add, "add", nil, "`device` to put in; may be repeated")
	cmd.Flags().StringSliceVar(&remove, "remove", nil, "`device` to take out; may be repeated")
	return cmd
}

func (a *app) groupRemove() *cobra.Command {
	return &cobra.Command{
		Use: "remove NAME", Short: "Remove a group that no assignment names", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeGroups,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			g, err := c.Group(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			if err := c.RemoveGroup(cmd.Context(), g.Name, g.Version); err != nil {
				return err
			}
			_, err = fmt.Fprintf(a.out, "Removed the group %s.\n", g.Name)
			return err
		},
	}
}

func (a *app) completeGroups(cmd *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	return a.complete(func(c *client.Client) ([]string, error) {
		page, err := c.Groups(cmd.Context(), "", client.Page{Limit: 500})
		return append(namesOf(page.Items, func(g client.GroupSummary) string { return g.Name }), "everything"), err
	})
}
