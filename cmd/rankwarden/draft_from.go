package main

import (
	"cmp"
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/assign"
	"rankwarden.example/core/edit"
)

// draftResult is a drafted policy, and the change that it went into.
type draftResult struct {
	api.PolicyDraft
	Change string `json:"change,omitempty"`
}

func (a *app) draftFromCommand() *cobra.Command {
	var group, name, change, tolerance string
	var rank int
	var dry bool
	cmd := &cobra.Command{
		Use: "draft-from --group GROUP", Short: "Draft a first policy from what the devices of a group have in common",
		Args: cobra.NoArgs,
		Long: "Read what the devices of a group reported, and draft a policy with the values that most of them\n" +
			"have, with an assignment to the group, into a change. It says for each setting on how many devices\n" +
			"another value is found, who would leave a local group, and what a policy cannot say. Nothing on a\n" +
			"device is altered before the change goes out: rankwarden preview CHANGE says who would lose access.",
		Example: "  rankwarden draft-from --group harbour-offices\n  rankwarden draft-from --group kirkness " +
			"--tolerance 10% --dry-run",
		RunE: func(cmd *cobra.Command, _ []string) error {
			percent, err := strconv.Atoi(strings.TrimSuffix(tolerance, "%"))
			if err != nil {
				return unusable{fmt.Errorf("--tolerance %q is no percentage; give 0%% to 49%%", tolerance)}
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			name = cmp.Or(name, "first-"+group)
			d, err := c.DraftPolicy(cmd.Context(), api.DraftRequest{Group: group, Name: name, Tolerance: &percent})
			if err != nil {
				return err
			}
			result := draftResult{PolicyDraft: d}
			if !dry && d.Source != "" {
				result.Change = cmp.Or(change, name)
				if err := addDraft(cmd, c, result, name, group, rank); err != nil {
					return err
				}
			}
			return a.one(result, func() error { return a.drafted(result) })
		},
	}
	f := cmd.Flags()
	f.StringVar(&group, "group", "", "`group` of devices to draft from, and to aim the policy at")
	f.StringVar(&tolerance, "tolerance", "5%", "`percent` of the devices that may have another value")
	f.StringVar(&name, "name", "", "`name` of the policy and its assignment (default first-GROUP)")
	f.StringVar(&change, "change", "", "`change` to add them to; it is created when it does not exist")
	f.IntVar(&rank, "rank", 500, "`rank` of the assignment; 1 outranks 2")
	f.BoolVar(&dry, "dry-run", false, "store nothing")
	_ = cmd.MarkFlagRequired("group")
	_ = cmd.RegisterFlagCompletionFunc("group", a.completeGroups)
	return cmd
}

// addDraft puts a drafted policy and its assignment into a change.
func addDraft(cmd *cobra.Command, c *client.Client, d draftResult, name, group string, rank int) error {
	_, err := c.CreateChange(cmd.Context(), d.Change, "A first policy for "+group, "")
	if err != nil && !alreadyThere(err) {
		return err
	}
	for _, e := range []api.ChangeEdit{
		{Kind: edit.Publish, Name: name, Document: d.Source},
		{Kind: edit.Assign, Name: name, Assignment: &edit.Aim{Policy: name,
			Include: []string{group}, Rank: assign.Rank(rank), Stance: assign.Enforce}},
	} {
		if _, err := c.AddEdit(cmd.Context(), d.Change, e); err != nil {
			return fmt.Errorf("%s %s: %w", e.Kind, e.Name, err)
		}
	}
	return nil
}

// drafted prints a draft: how far devices agree, who would leave, and what is left out.
func (a *app) drafted(d draftResult) error {
	if d.Source == "" {
		_, err := fmt.Fprintf(a.out, "%s reported, and have nothing in common that a policy could ask for.\n",
			plural(d.Devices, "device", "devices"))
		return err
	}
	fmt.Fprintf(a.out, "Drafted from %s", plural(d.Devices, "device", "devices"))
	if d.Silent > 0 {
		fmt.Fprintf(a.out, "; %d more never reported", d.Silent)
	}
	fmt.Fprintln(a.out, ".")
	fmt.Fprintln(a.out)
	type row = api.DraftSetting
	if err := list(a, d.Settings, "",
		column[row]{title: "Setting", value: func(x row) string { return x.Title }},
		column[row]{title: "Most have", value: func(x row) string { return x.Words }},
		column[row]{title: "Have it", right: true, value: func(x row) string { return strconv.Itoa(x.Devices) }},
		column[row]{title: "Differ", right: true, value: func(x row) string { return strconv.Itoa(x.Other) }},
		column[row]{title: "In the policy", value: func(x row) string { return yesNo(x.Drafted) }},
	); err != nil {
		return err
	}
	if len(d.NotKept) > 0 {
		fmt.Fprintln(a.out, "\nWould leave:")
		for _, n := range d.NotKept {
			fmt.Fprintf(a.out, "  %s: %s, on %s\n", n.Title, n.Member, plural(n.Devices, "device", "devices"))
		}
	}
	if len(d.Unwritten) > 0 {
		fmt.Fprintln(a.out, "\nA policy cannot say:")
		for _, what := range d.Unwritten {
			fmt.Fprintf(a.out, "  %s\n", what)
		}
	}
	if d.Change == "" {
		_, err := fmt.Fprintf(a.out, "\n%s", d.Source)
		return err
	}
	_, err := fmt.Fprintf(a.out, "\nNothing is altered yet. It is in the change %[1]s; see: rankwarden preview %[1]s\n",
		d.Change)
	return err
}
