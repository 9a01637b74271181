package main

import (
	"cmp"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

func (a *app) deviceSet() *cobra.Command {
	var path, user string
	var tags []string
	cmd := &cobra.Command{
		Use:               "edit DEVICE",
		Short:             "Edit the organisation facts of a device: path, tags, primary user",
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: a.completeDevices,
		RunE: func(cmd *cobra.Command, args []string) error {
			facts := api.Facts{Device: args[0]}
			if cmd.Flags().Changed("path") {
				facts.Path = &path
			}
			if cmd.Flags().Changed("tag") {
				tags = slices.DeleteFunc(tags, func(t string) bool { return t == "" })
				facts.Tags = &tags
			}
			if cmd.Flags().Changed("primary-user") {
				facts.PrimaryUser = &user
			}
			if facts.Path == nil && facts.Tags == nil && facts.PrimaryUser == nil {
				return unusable{errors.New("give --path, --tag or --primary-user")}
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			if err := c.SetFacts(cmd.Context(), []api.Facts{facts}); err != nil {
				return err
			}
			return a.did(facts, "Updated %s. Groups by rule are updated at once.\n", args[0])
		},
	}
	cmd.Flags().StringVar(&path, "path", "", "`path` like north/kirkness/desk; empty removes it")
	cmd.Flags().StringSliceVar(&tags, "tag", nil, "`tag` to have, instead of those before; may be repeated")
	cmd.Flags().StringVar(&user, "primary-user", "", "`name` of who mostly works there; empty removes it")
	return a.atTheDoor(cmd)
}

// factsBatch is how many devices one request names: as many as it may, so that the brake sees an import whole.
const factsBatch = 5000

func (a *app) deviceFacts() *cobra.Command {
	var dry bool
	cmd := &cobra.Command{
		Use: "facts FILE", Short: "Edit the organisation facts of many devices from a CSV file",
		Args: cobra.ExactArgs(1),
		Long: "Set organisation facts of many devices from a CSV file with a header line. The column device is\n" +
			"required; path, tags (separated by blanks) and primary_user are set where there is a column for\n" +
			"them.",
		RunE: func(cmd *cobra.Command, args []string) error {
			file, err := os.Open(args[0])
			if err != nil {
				return unusable{err}
			}
			defer file.Close()
			facts, err := readFacts(file)
			if err != nil {
				return unusable{fmt.Errorf("%s: %w", args[0], err)}
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			if dry {
				return a.tryFacts(cmd.Context(), c, facts)
			}
			for batch := range slices.Chunk(facts, factsBatch) {
				if err := c.SetFacts(cmd.Context(), batch); err != nil {
					return err
				}
			}
			_, err = fmt.Fprintf(
				a.out,
				"Updated %s. Groups by rule are updated at once.\n",
				plural(len(facts), "device", "devices"),
			)
			return err
		},
	}
	cmd.Flags().BoolVar(&dry, "dry-run", false, "set nothing, and say what it would alter")
	return a.atTheDoor(cmd)
}

// tryFacts prints what facts would alter: on devices, and in groups by rule.
func (a *app) tryFacts(ctx context.Context, c *client.Client, facts []api.Facts) error {
	all := api.FactsTrial{Altered: []api.Altered{}, Unknown: []string{}, Groups: []api.Shift{}}
	at := map[string]int{} // groups by name
	for batch := range slices.Chunk(facts, factsBatch) {
		trial, err := c.TryFacts(ctx, batch)
		if err != nil {
			return err
		}
		all.Devices += trial.Devices
		all.Altered, all.Unknown = append(all.Altered, trial.Altered...), append(all.Unknown, trial.Unknown...)
		for _, g := range trial.Groups {
			if i, known := at[g.Group]; known {
				all.Groups[i].Joins = append(all.Groups[i].Joins, g.Joins...)
				all.Groups[i].Leaves = append(all.Groups[i].Leaves, g.Leaves...)
				continue
			}
			at[g.Group] = len(all.Groups)
			all.Groups = append(all.Groups, g)
		}
	}
	return a.one(all, func() error {
		if err := a.altered(all.Altered); err != nil {
			return err
		}
		for _, g := range all.Groups {
			fmt.Fprintf(a.out, "Group %s: %s, %s.\n", g.Group, plural(len(g.Joins), "device joins", "devices join"),
				plural(len(g.Leaves), "leaves", "leave"))
		}
		for _, name := range all.Unknown {
			fmt.Fprintf(a.out, "There is no device %s.\n", name)
		}
		_, err := fmt.Fprintf(a.out, "%s would have other facts. Nothing was set.\n",
			plural(all.Devices, "device", "devices"))
		return err
	})
}

// altered prints what is another one afterwards.
func (a *app) altered(rows []api.Altered) error {
	if len(rows) == 0 {
		return nil
	}
	none := func(value string) string { return cmp.Or(value, "–") }
	return list(
		a,
		rows,
		"",
		column[api.Altered]{title: "Of", value: func(x api.Altered) string { return x.Object }},
		column[api.Altered]{title: "What", value: func(x api.Altered) string { return x.What }},
		column[api.Altered]{title: "Before", wrap: 1, value: func(x api.Altered) string { return none(x.Before) }},
		column[api.Altered]{title: "After", wrap: 1, value: func(x api.Altered) string { return none(x.After) }},
	)
}

// readFacts reads organisation facts of devices from CSV with a header line. Columns that are not there leave the
// fact as it is; errors name the line.
func readFacts(file io.Reader) ([]api.Facts, error) {
	rows := csv.NewReader(file)
	header, err := rows.Read()
	if err != nil {
		return nil, fmt.Errorf("the header line cannot be read: %w", err)
	}
	at := map[string]int{}
	for i, name := range header {
		if !slices.Contains([]string{"device", "path", "tags", "primary_user"}, name) {
			return nil, fmt.Errorf("line 1: there is no column %q; use device, path, tags, primary_user", name)
		}
		at[name] = i
	}
	if _, ok := at["device"]; !ok {
		return nil, errors.New("line 1: the column device is missing")
	}
	var facts []api.Facts
	for {
		row, err := rows.Read()
		if errors.Is(err, io.EOF) {
			return facts, nil
		}
		if err != nil {
			return nil, err
		}
		f := api.Facts{Device: row[at["device"]]}
		if i, ok := at["path"]; ok {
			f.Path = &row[i]
		}
		if i, ok := at["tags"]; ok {
			tags := strings.Fields(row[i])
			f.Tags = &tags
		}
		if i, ok := at["primary_user"]; ok {
			f.PrimaryUser = &row[i]
		}
		facts = append(facts, f)
	}
}
