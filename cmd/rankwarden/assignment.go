package main

import (
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/assign"
)

func (a *app) assignmentCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "assignment", Short: "Aim policies at groups of devices"}
	cmd.AddCommand(
		a.assignmentList(),
		a.assignmentShow(),
		a.assignmentSet(),
		a.assignmentForecast(),
		a.assignmentRemove(),
	)
	return cmd
}

func (a *app) assignmentList() *cobra.Command {
	var policy string
	cmd := &cobra.Command{
		Use: "list", Short: "List assignments, strongest rank first", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := client.All(0, func(p client.Page) (client.List[api.Assignment], error) {
				return c.Assignments(cmd.Context(), policy, p)
			})
			if err != nil {
				return err
			}
			return list(
				a,
				items,
				"No assignments yet. Run: rankwarden assignment set NAME --policy NAME --include GROUP --rank N",
				column[api.Assignment]{
					title: "Rank",
					right: true,
					value: func(x api.Assignment) string { return strconv.Itoa(x.Rank) },
				},
				column[api.Assignment]{title: "Assignment", value: func(x api.Assignment) string { return x.Name }},
				column[api.Assignment]{title: "Policy", value: func(x api.Assignment) string { return x.Policy }},
				column[api.Assignment]{
					title: "Rev",
					right: true,
					value: func(x api.Assignment) string { return strconv.Itoa(x.Revision) },
				},
				column[api.Assignment]{
					title: "Include",
					wrap:  1,
					value: func(x api.Assignment) string { return strings.Join(x.Include, ", ") },
				},
				column[api.Assignment]{
					title: "Exclude",
					wrap:  1,
					value: func(x api.Assignment) string { return strings.Join(x.Exclude, ", ") },
				},
				column[api.Assignment]{
					title: "Within",
					wrap:  1,
					value: func(x api.Assignment) string { return strings.Join(x.Within, ", ") },
				},
				column[api.Assignment]{title: "Stance", value: func(x api.Assignment) string { return x.Stance }},
			)
		},
	}
	cmd.Flags().StringVar(&policy, "policy", "", "only those of this `policy`")
	return ofList(cmd)
}

func (a *app) assignmentShow() *cobra.Command {
	return &cobra.Command{
		Use: "show NAME", Short: "Show one assignment: its policy, groups, rank and stance", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			x, err := c.Assignment(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			return a.one(x, func() error {
				fmt.Fprintf(
					a.out,
					"%s: policy %s, revision %d, rank %d, %s\n",
					x.Name,
					x.Policy,
					x.Revision,
					x.Rank,
					x.Stance,
				)
				for _, groups := range []struct {
					label string
					names []string
				}{{"include", x.Include}, {"exclude", x.Exclude}, {"within", x.Within}} {
					if len(groups.names) > 0 {
						fmt.Fprintf(a.out, "  %-8s %s\n", groups.label, strings.Join(groups.names, ", "))
					}
				}
				return nil
			})
		},
	}
}

func (a *app) assignmentSet() *cobra.Command {
	var aim api.Aim
	var d draft
	cmd := &cobra.Command{
		Use: "set NAME", Short: "Create an assignment, or edit the given fields of one", Args: cobra.ExactArgs(1),
		Example: "  rankwarden assignment set ticket-desks --policy ticket-desks --include ticket-desks --rank 200",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			now, err := c.Assignment(cmd.Context(), args[0])
			var p *client.Problem
			isNew := errors.As(err, &p) && p.Status == http.StatusNotFound
			if err != nil && !isNew {
				return err
			}
			want := aimOf(now)
			if d.change != "" {
				earlier, there, err := d.edit(cmd, c, "assignment", args[0])
				if err != nil {
					return err
				}
				if there && earlier.Assignment != nil {
					want, isNew = *earlier.Assignment, false
				}
			}
			takeGiven(cmd, &want, aim)
			if isNew && (want.Policy == "" || len(want.Include) == 0 || want.Rank == 0) {
				return unusable{errors.New("a new assignment needs --policy, --include and --rank")}
			}
			if d.change != "" {
				return d.add(a, cmd, c, "assignment", api.ChangeEdit{
					Kind: "assign", Name: args[0], Assignment: &want, BasedOn: now.Version,
				})
			}
			var is api.Assignment
			err = a.edited(cmd.Context(), c, func() error {
				if isNew {
					is, err = c.CreateAssignment(cmd.Context(), args[0], want)
				} else {
					is, err = c.EditAssignment(cmd.Context(), args[0], want, now.Version)
				}
				return err
			})
			if err != nil {
				return err
			}
			return a.did(
				is,
				"%s: policy %s, revision %d, to %s, rank %d, %s. In effect at once; its devices were settled again.\n",
				is.Name,
				is.Policy,
				is.Revision,
				strings.Join(is.Include, ", "),
				is.Rank,
				is.Stance,
			)
		},
	}
	d.flag(a, cmd)
	f := cmd.Flags()
	f.StringVar(&aim.Policy, "policy", "", "the `policy`")
	f.StringSliceVar(&aim.Include, "include", nil, "`group` to include; may be repeated")
	f.StringSliceVar(&aim.Exclude, "exclude", nil, "`group` to exclude; may be repeated")
	f.StringSliceVar(&aim.Within, "within", nil, "`group` that devices must be in as well; may be repeated")
	f.StringVar(
		(*string)(&aim.Stance),
		"stance",
		"enforce",
		"`stance`: enforce, or trial, which changes nothing and shows what would differ",
	)
	f.IntVar((*int)(&aim.Rank), "rank", 0, "`number` from 1 (strongest) to 9999 (weakest)")
	return a.atTheDoor(cmd)
}

// takeGiven puts what flags say into an assignment.
func takeGiven(cmd *cobra.Command, want *api.Aim, aim api.Aim) {
	for name, take := range map[string]func(){
		"policy": func() { want.Policy = aim.Policy }, "include": func() { want.Include = aim.Include },
		"exclude": func() { want.Exclude = aim.Exclude }, "rank": func() { want.Rank = aim.Rank },
		"within": func() { want.Within = aim.Within }, "stance": func() { want.Stance = aim.Stance },
	} {
		if cmd.Flags().Changed(name) {
			take()
		}
	}
}

// aimOf is what an assignment is aimed at.
func aimOf(x api.Assignment) api.Aim {
	return api.Aim{
		Policy:  x.Policy,
		Include: x.Include,
		Exclude: x.Exclude,
		Within:  x.Within,
		Rank:    assign.Rank(x.Rank),
		Stance:  assign.Stance(x.Stance),
	}
}

func (a *app) assignmentRemove() *cobra.Command {
	var d draft
	cmd := &cobra.Command{
		Use: "delete NAME", Short: "Delete an assignment; its devices are settled without it", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			x, err := c.Assignment(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			if d.change != "" {
				return d.add(
					a,
					cmd,
					c,
					"assignment",
					api.ChangeEdit{Kind: "withdraw", Name: x.Name, BasedOn: x.Version},
				)
			}
			if err := a.edited(cmd.Context(), c,
				func() error { return c.DeleteAssignment(cmd.Context(), x.Name, x.Version) }); err != nil {
				return err
			}
			return a.did(done{"deleted", x.Name}, "Deleted %s at once. Its devices were settled without it.\n", x.Name)
		},
	}
	d.flag(a, cmd)
	return a.atTheDoor(cmd)
}
