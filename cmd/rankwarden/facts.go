package main

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"rankwarden.example/api"
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
	return a.atTheDoor(&cobra.Command{
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
	})
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
