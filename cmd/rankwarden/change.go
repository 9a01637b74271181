package main

import (
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

func (a *app) changeCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "change",
		Short: "Changes: edits that are drafted together, previewed, approved where needed, and applied at once",
		Long: "A change gathers edits of policies, assignments and groups. It alters nothing until it is applied.\n\n" +
			"Begin with: rankwarden change create NAME. Then add edits with --change NAME of: policy save,\n" +
			"assignment set, assignment delete, group create, group edit, group delete. Then: rankwarden preview\n" +
			"NAME, rankwarden change apply NAME.",
	}
	cmd.AddCommand(
		a.changeList(),
		a.changeCreate(),
		a.changeEdit(),
		a.changeShow(),
		a.changeKeep(),
		a.changeRemove(),
		a.changeFrom(),
		a.changeApply(),
		a.changeApprove(),
		a.changeRefuse(),
		a.changeApprovers(),
		a.changeRevert(),
		a.changeDrop(),
		a.changeHistory(),
	)
	return cmd
}

// stateWords say where a change stands.
var stateWords = map[string]string{
	"draft": "draft", "waiting": "waiting for approval", "approved": "approved", "going_out": "on its way",
	"done": "applied", "dropped": "dropped", "reverted": "reverted",
}

func (a *app) changeList() *cobra.Command {
	var everything bool
	var search string
	cmd := &cobra.Command{
		Use: "list", Short: "List changes that are not applied yet, the latest edited first", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			states := []string{"draft", "waiting", "approved", "going_out"}
			if everything {
				states = nil
			}
			items, err := client.All(0, func(p client.Page) (client.List[api.ChangeSummary], error) {
				return c.Changes(cmd.Context(), states, search, p)
			})
			if err != nil {
				return err
			}
			return list(
				a,
				items,
				"No open changes. Run: rankwarden change create NAME --title TITLE",
				column[api.ChangeSummary]{title: "Change", value: func(x api.ChangeSummary) string { return x.Name }},
				column[api.ChangeSummary]{
					title: "Title",
					wrap:  1,
					value: func(x api.ChangeSummary) string { return x.Title },
				},
				column[api.ChangeSummary]{
					title: "State",
					value: func(x api.ChangeSummary) string { return stateWords[x.State] },
				},
				column[api.ChangeSummary]{
					title: "Edits",
					right: true,
					value: func(x api.ChangeSummary) string { return strconv.Itoa(x.Edits) },
				},
				column[api.ChangeSummary]{
					title: "Author",
					value: func(x api.ChangeSummary) string { return x.CreatedBy },
				},
				column[api.ChangeSummary]{
					title: "Last edited",
					value: func(x api.ChangeSummary) string { return a.sometime(&x.UpdatedAt, "") },
				},
			)
		},
	}
	cmd.Flags().BoolVar(&everything, "all", false, "also those that were applied or dropped")
	cmd.Flags().StringVar(&search, "search", "", "`text` in a name or title")
	return ofList(cmd)
}

func (a *app) changeShow() *cobra.Command {
	return &cobra.Command{
		Use: "show NAME", Short: "Show a change with its edits, and what is in their way", Args: cobra.ExactArgs(1),
		ValidArgsFunction: a.completeChanges,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			x, err := c.Change(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			return a.one(x, func() error { return a.showChange(x) })
		},
	}
}

// showChange prints a change with its edits, what is in their way, and the command that comes next.
func (a *app) showChange(x api.ChangeDetail) error {
	fmt.Fprintf(a.out, "%s: %s\n", text.Bold.Sprint(x.Name), stateWords[x.State])
	if x.Title != "" {
		fmt.Fprintf(a.out, "  %s\n", x.Title)
	}
	if x.Reason != "" {
		fmt.Fprintf(a.out, "  reason: %s\n", x.Reason)
	}
	if x.Rollout != "" {
		fmt.Fprintf(a.out, "  its rollout is %s; see: rankwarden rollout show %s\n", rolloutWords[x.Rollout], x.Name)
	}
	for _, why := range x.Needs {
		fmt.Fprintf(a.out, "  a second person must approve: %s\n", why)
	}
	fmt.Fprintln(a.out)
	for _, e := range x.Edits {
		fmt.Fprintf(a.out, "  %-10s  %-24s %s\n", editKind(e.ChangeEdit), e.Name, editWords(e.ChangeEdit))
		if e.Conflict {
			fmt.Fprintf(
				a.out,
				"  %10s  %s altered by somebody else since; run: rankwarden change keep %s %s %s, or change remove\n",
				"",
				text.FgRed.Sprint("▲"),
				x.Name,
				e.Type,
				e.Name,
			)
		}
	}
	if len(x.Edits) == 0 {
		fmt.Fprintf(
			a.out,
			"  No edits yet. Add one with --change %s, such as: rankwarden policy save FILE --change %s\n",
			x.Name,
			x.Name,
		)
	}
	if x.Problem != "" {
		fmt.Fprintf(a.out, "\n  %s %s\n", text.FgRed.Sprint("▲"), x.Problem)
	}
	return nil
}

// editWords say what an edit is about.
func editWords(e api.ChangeEdit) string {
	switch {
	case e.Assignment != nil:
		say := fmt.Sprintf(
			"policy %s, rank %d, to %s",
			e.Assignment.Policy,
			e.Assignment.Rank,
			strings.Join(e.Assignment.Include, ", "),
		)
		if len(e.Assignment.Within) > 0 {
			say += ", within " + strings.Join(e.Assignment.Within, ", ")
		}
		if len(e.Assignment.Exclude) > 0 {
			say += ", not " + strings.Join(e.Assignment.Exclude, ", ")
		}
		if e.Assignment.Stance == "trial" {
			say += ", on trial"
		}
		return say
	case e.Group != nil && e.Group.Rule != "":
		return "rule " + e.Group.Rule
	case e.Group != nil:
		return plural(len(e.Group.Devices), "device", "devices")
	case e.Document != "" && e.BasedOn == 0:
		return "new policy"
	case e.Document != "":
		return "next revision"
	}
	return ""
}

// editTypes are the types of things that an edit can be about.
var editTypes = []string{"policy", "assignment", "group"}

func (a *app) changeKeep() *cobra.Command {
	return &cobra.Command{
		Use:       "keep NAME (policy|assignment|group) THING",
		Short:     "Keep an edit although somebody else altered the thing since: it goes over what they did",
		Args:      cobra.ExactArgs(3),
		ValidArgs: editTypes,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			x, err := c.Change(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			for _, e := range x.Edits {
				if e.Type == args[1] && e.Name == args[2] {
					e.BasedOn = e.Now
					result, err := c.AddEdit(cmd.Context(), args[0], e.ChangeEdit)
					if err != nil {
						return err
					}
					return a.did(result.Change, "Kept the edit of the %s %s in %s.\n", args[1], args[2], args[0])
				}
			}
			return unusable{
				fmt.Errorf(
					"the change %s has no edit of a %s %q; see: rankwarden change show %s",
					args[0],
					args[1],
					args[2],
					args[0],
				),
			}
		},
	}
}

func (a *app) changeRemove() *cobra.Command {
	return &cobra.Command{
		Use:       "remove NAME (policy|assignment|group) THING",
		Short:     "Take the edit of one thing out of a change",
		Args:      cobra.ExactArgs(3),
		ValidArgs: editTypes,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			x, err := c.DeleteEdit(cmd.Context(), args[0], args[1], args[2])
			if err != nil {
				return err
			}
			return a.did(x, "Took the edit of the %s %s out of %s.\n", args[1], args[2], args[0])
		},
	}
}

func (a *app) changeDrop() *cobra.Command {
	var reason string
	cmd := &cobra.Command{
		Use: "drop NAME", Short: "Drop a change; none of its edits is made", Args: cobra.ExactArgs(1),
		ValidArgsFunction: a.completeChanges,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			x, err := c.DropChange(cmd.Context(), args[0], reason)
			if err != nil {
				return err
			}
			return a.did(x, "Dropped the change %s. Nothing was altered.\n", x.Name)
		},
	}
	cmd.Flags().StringVar(&reason, "reason", "", "`reason` for it")
	return cmd
}

func (a *app) changeHistory() *cobra.Command {
	cmd := &cobra.Command{
		Use: "history NAME", Short: "List what happened to a change, newest first", Args: cobra.ExactArgs(1),
		ValidArgsFunction: a.completeChanges,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := client.All(0, func(p client.Page) (client.List[api.ChangeEvent], error) {
				return c.ChangeHistory(cmd.Context(), args[0], p)
			})
			if err != nil {
				return err
			}
			return list(
				a,
				items,
				"Nothing happened yet.",
				column[api.ChangeEvent]{
					title: "When",
					value: func(e api.ChangeEvent) string { return a.sometime(&e.At, "") },
				},
				column[api.ChangeEvent]{title: "Who", value: func(e api.ChangeEvent) string { return e.Who }},
				column[api.ChangeEvent]{
					title: "What",
					value: func(e api.ChangeEvent) string { return strings.ReplaceAll(e.What, "_", " ") },
				},
				column[api.ChangeEvent]{
					title: "Detail",
					wrap:  1,
					value: func(e api.ChangeEvent) string { return e.Detail },
				},
			)
		},
	}
	return ofList(cmd)
}

func (a *app) completeChanges(cmd *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	return a.complete(func(c *client.Client) ([]string, error) {
		page, err := c.Changes(cmd.Context(), []string{"draft", "waiting", "approved"}, "", client.Page{Limit: 500})
		return namesOf(page.Items, func(x api.ChangeSummary) string { return x.Name }), err
	})
}

// draft adds the edits of a command to the change that its --change names.
type draft struct{ change string }

// flag gives a command the flag.
func (d *draft) flag(a *app, cmd *cobra.Command) {
	cmd.Flags().StringVar(&d.change, "change", "", "add the edit to this `change` instead of making it at once")
	_ = cmd.RegisterFlagCompletionFunc("change", a.completeChanges)
}

// edit finds the edit of a thing in the change.
func (d *draft) edit(cmd *cobra.Command, c *client.Client, typ, name string) (api.ChangeEdit, bool, error) {
	x, err := c.Change(cmd.Context(), d.change)
	for _, e := range x.Edits {
		if e.Type == typ && e.Name == name {
			return e.ChangeEdit, true, err
		}
	}
	return api.ChangeEdit{}, false, err
}

// add adds an edit, with the version of the thing that an earlier edit of it was based on.
func (d *draft) add(a *app, cmd *cobra.Command, c *client.Client, typ string, e api.ChangeEdit) error {
	earlier, there, err := d.edit(cmd, c, typ, e.Name)
	if err != nil {
		return err
	}
	if there {
		e.BasedOn = earlier.BasedOn
	}
	result, err := c.AddEdit(cmd.Context(), d.change, e)
	if err != nil {
		return err
	}
	if err := a.warnings(e.Name, result.Problems, false); err != nil {
		return err
	}
	return a.did(
		result.Change,
		"Added %s %s to the change %s, which has %s. Nothing is altered until it is applied; see: rankwarden preview "+
			"%s\n",
		editKind(e),
		e.Name,
		d.change,
		plural(len(result.Change.Edits), "edit", "edits"),
		d.change,
	)
}

// versionOf gives the version of what was read, 0 when it does not exist.
func versionOf(version int64, err error) (int64, error) {
	var p *client.Problem
	if errors.As(err, &p) && p.Status == http.StatusNotFound {
		return 0, nil
	}
	return version, err
}
