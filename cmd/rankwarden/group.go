package main

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
	coretext "rankwarden.example/core/text"
)

func (a *app) groupCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "group", Short: "Groups of devices"}
	cmd.AddCommand(a.groupList(), a.groupShow(), a.groupMake(), a.groupEdit(), a.groupRemove(), a.groupTry())
	return cmd
}

func (a *app) groupList() *cobra.Command {
	return ofList(&cobra.Command{
		Use: "list", Short: "List groups", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := client.All(
				0,
				func(p client.Page) (client.List[api.GroupSummary], error) { return c.Groups(cmd.Context(), "", p) },
			)
			if err != nil {
				return err
			}
			return list(
				a,
				items,
				"No groups yet. Run: rankwarden group create NAME DEVICE...",
				column[api.GroupSummary]{title: "Group", value: func(g api.GroupSummary) string { return g.Name }},
				column[api.GroupSummary]{
					title: "Listed",
					right: true,
					value: func(g api.GroupSummary) string { return strconv.Itoa(g.Listed) },
				},
				column[api.GroupSummary]{
					title: "Enrolled",
					right: true,
					value: func(g api.GroupSummary) string { return strconv.Itoa(g.Enrolled) },
				},
				column[api.GroupSummary]{
					title: "Rule",
					wrap:  1,
					value: func(g api.GroupSummary) string { return g.Rule },
				},
				column[api.GroupSummary]{
					title: "Description",
					wrap:  1,
					value: func(g api.GroupSummary) string { return g.Description },
				},
			)
		},
	})
}

func (a *app) groupShow() *cobra.Command {
	return ofList(&cobra.Command{
		Use: "show NAME", Short: "List the devices in a group", Args: cobra.ExactArgs(1),
		ValidArgsFunction: a.completeGroups,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := client.All(0, func(p client.Page) (client.List[api.GroupMember], error) {
				return c.GroupDevices(cmd.Context(), args[0], p)
			})
			if err != nil {
				return err
			}
			return list(a, items, "The group is empty. Run: rankwarden group edit "+args[0]+" --add DEVICE",
				column[api.GroupMember]{title: "Device", value: func(m api.GroupMember) string { return m.Device }},
				column[api.GroupMember]{title: "Enrolled as", value: func(m api.GroupMember) string {
					if m.DeviceID == "" {
						return "not yet; the name is expected"
					}
					return m.DeviceID
				}},
				column[api.GroupMember]{title: "Membership", value: func(m api.GroupMember) string {
					if !m.Certain {
						return "unknown: the rule reads a fact that this device has not reported"
					}
					return "certain"
				}})
		},
	})
}

func (a *app) groupMake() *cobra.Command {
	var spec client.GroupSpec
	var d draft
	cmd := &cobra.Command{
		Use:   "create NAME [DEVICE...]",
		Short: "Create a group of named devices, enrolled or not yet, or by a rule",
		Args:  cobra.MinimumNArgs(1),
		Example: "  rankwarden group create spare-desks SKL-TKT-009 SKL-TKT-010\n" +
			"  rankwarden group create old-builds --rule 'device.os_build < 22000'",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			spec.Name, spec.Devices = args[0], args[1:]
			if d.change != "" {
				body := &api.GroupBody{Description: spec.Description, Devices: spec.Devices, Rule: spec.Rule}
				return d.add(a, cmd, c, "group", api.ChangeEdit{Kind: "group", Name: spec.Name, Group: body})
			}
			g, err := c.CreateGroup(cmd.Context(), spec)
			if err != nil {
				return err
			}
			if g.Rule != "" {
				return a.did(g, "Created the group %s with the rule %s.\n", g.Name, g.Rule)
			}
			if err := a.noticeUnknown(cmd.Context(), c, args[1:]); err != nil {
				return err
			}
			return a.did(g, "Created the group %s with %s.\n", g.Name, plural(len(args)-1, "device", "devices"))
		},
	}
	d.flag(a, cmd)
	cmd.Flags().StringVar(&spec.Description, "description", "", "`words` that say what it is for")
	cmd.Flags().StringVar(&spec.Rule, "rule", "", "`expression` over device facts, instead of devices")
	return a.atTheDoor(cmd)
}

func (a *app) groupEdit() *cobra.Command {
	var edit client.GroupEdit
	var rule string
	var d draft
	cmd := &cobra.Command{
		Use:               "edit NAME",
		Short:             "Add devices to a group, remove devices from it, or change its rule",
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: a.completeGroups,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			if cmd.Flags().Changed("rule") {
				edit.Rule = &rule
			}
			if len(edit.Add)+len(edit.Remove) == 0 && edit.Rule == nil {
				return unusable{fmt.Errorf("give --add DEVICE, --remove DEVICE or --rule EXPRESSION")}
			}
			if d.change != "" {
				return a.draftGroup(cmd, c, &d, args[0], edit)
			}
			g, err := c.Group(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			err = a.edited(cmd.Context(), c, func() error {
				g, err = c.EditGroup(cmd.Context(), g.Name, edit, g.Version)
				return err
			})
			if err != nil {
				return err
			}
			if err := a.noticeUnknown(cmd.Context(), c, edit.Add); err != nil {
				return err
			}
			return a.did(
				g,
				"Updated %s at once: %d added, %d removed. Its devices were settled again.\n",
				g.Name,
				len(edit.Add),
				len(edit.Remove),
			)
		},
	}
	d.flag(a, cmd)
	cmd.Flags().StringSliceVar(&edit.Add, "add", nil, "`device` to add; may be repeated")
	cmd.Flags().StringSliceVar(&edit.Remove, "remove", nil, "`device` to remove; may be repeated")
	cmd.Flags().StringVar(&rule, "rule", "", "new `expression` of a group by rule")
	return a.atTheDoor(cmd)
}

// draftGroup adds a group to a change: as it is there already, else as it is now, with devices put in and taken out.
func (a *app) draftGroup(cmd *cobra.Command, c *client.Client, d *draft, name string, edit client.GroupEdit) error {
	earlier, there, err := d.edit(cmd, c, "group", name)
	if err != nil {
		return err
	}
	e := api.ChangeEdit{Kind: "group", Name: name, Group: earlier.Group}
	if !there || e.Group == nil {
		if e.Group, e.BasedOn, err = groupNow(cmd.Context(), c, name); err != nil {
			return err
		}
	}
	if edit.Rule != nil {
		e.Group.Rule = *edit.Rule
	}
	for _, device := range edit.Remove {
		e.Group.Devices = slices.DeleteFunc(
			e.Group.Devices,
			func(d string) bool { return coretext.Fold(d) == coretext.Fold(device) },
		)
	}
	e.Group.Devices = append(e.Group.Devices, edit.Add...)
	return d.add(a, cmd, c, "group", e)
}

// groupNow is what a group is now, with the devices that are listed in it.
func groupNow(ctx context.Context, c *client.Client, name string) (*api.GroupBody, int64, error) {
	g, err := c.Group(ctx, name)
	if err != nil {
		return nil, 0, err
	}
	body := &api.GroupBody{Description: g.Description, Rule: g.Rule, Devices: []string{}}
	if g.Rule == "" {
		members, err := client.All(
			0,
			func(p client.Page) (client.List[api.GroupMember], error) { return c.GroupDevices(ctx, name, p) },
		)
		if err != nil {
			return nil, 0, err
		}
		body.Devices = namesOf(members, func(m api.GroupMember) string { return m.Device })
	}
	return body, g.Version, nil
}

func (a *app) groupTry() *cobra.Command {
	return &cobra.Command{
		Use:   "test RULE",
		Short: "Test a rule: list the devices that it would match, without saving it",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			t, err := c.TestRule(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			return a.one(t, func() error {
				fmt.Fprintf(
					a.out,
					"Matches %s; reads %s.\n",
					plural(t.Holds, "device", "devices"),
					strings.Join(t.Reads, ", "),
				)
				if len(t.Examples) > 0 {
					fmt.Fprintf(a.out, "Examples: %s.\n", strings.Join(t.Examples, ", "))
				}
				if t.Unknown > 0 {
					fmt.Fprintf(
						a.out,
						"Unknown for %s: the rule reads a fact not reported yet, so their settings are held until "+
							"then.\n",
						plural(t.Unknown, "device", "devices"),
					)
				}
				return nil
			})
		},
	}
}

func (a *app) groupRemove() *cobra.Command {
	var d draft
	cmd := &cobra.Command{
		Use:               "delete NAME",
		Short:             "Delete a group that no assignment names",
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: a.completeGroups,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			g, err := c.Group(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			if d.change != "" {
				return d.add(a, cmd, c, "group", api.ChangeEdit{Kind: "drop_group", Name: g.Name, BasedOn: g.Version})
			}
			if err := c.DeleteGroup(cmd.Context(), g.Name, g.Version); err != nil {
				return err
			}
			return a.did(done{"deleted", g.Name}, "Deleted the group %s.\n", g.Name)
		},
	}
	d.flag(a, cmd)
	return a.atTheDoor(cmd)
}

// noticeUnknown tells which of the names no device has: they may enrol later, or be misspelt.
func (a *app) noticeUnknown(ctx context.Context, c *client.Client, names []string) error {
	var unknown []string
	for _, name := range names {
		_, err := c.Device(ctx, name)
		var p *client.Problem
		if errors.As(err, &p) && p.Status == http.StatusNotFound {
			unknown = append(unknown, name)
		} else if err != nil {
			return err
		}
	}
	if len(unknown) > 0 {
		a.notice(
			"Warning: no device has the name %s yet. It joins when it enrols. Check the spelling.\n",
			strings.Join(unknown, ", "),
		)
	}
	return nil
}

func (a *app) completeGroups(cmd *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	return a.complete(func(c *client.Client) ([]string, error) {
		page, err := c.Groups(cmd.Context(), "", client.Page{Limit: 500})
		return append(namesOf(page.Items, func(g api.GroupSummary) string { return g.Name }), "everything"), err
	})
}
