package main

import (
	"errors"
	"fmt"
	"net/http"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

func (a *app) exportCommand() *cobra.Command {
	var overwrite bool
	cmd := &cobra.Command{
		Use:   "export DIR",
		Short: "Write policies, groups and assignments that are in force into a folder, for version control",
		Args:  cobra.ExactArgs(1),
		Long: "Write policies/NAME.yaml, groups.yaml and assignments.yaml: what is in force, not what is drafted.\n" +
			"Comparing the folder with \"rankwarden change from DIR\" finds nothing until one of the two is edited.",
		RunE: func(cmd *cobra.Command, args []string) error {
			if found, err := os.ReadDir(args[0]); err == nil && len(found) > 0 && !overwrite {
				return unusable{
					fmt.Errorf("%s is not empty; use --overwrite to replace files of the same names", args[0]),
				}
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			f, err := inForce(cmd.Context(), c)
			if err != nil {
				return err
			}
			if err := f.write(args[0]); err != nil {
				return unusable{err}
			}
			counts := map[string]int{
				"policies":    len(f.policies),
				"groups":      len(f.groups),
				"assignments": len(f.assignments),
			}
			return a.did(
				counts,
				"Wrote %s, %s and %s to %s.\n",
				plural(len(f.policies), "policy", "policies"),
				plural(len(f.groups), "group", "groups"),
				plural(len(f.assignments), "assignment", "assignments"),
				args[0],
			)
		},
	}
	cmd.Flags().BoolVar(&overwrite, "overwrite", false, "replace files of the same names")
	return cmd
}

func (a *app) changeFrom() *cobra.Command {
	var name, title, reason string
	var remove, dry bool
	cmd := &cobra.Command{
		Use:   "from DIR",
		Short: "Compare a folder of files with what is in force, and make the difference a change",
		Args:  cobra.ExactArgs(1),
		Long: "Read policies/*.yaml, groups.yaml and assignments.yaml and add what differs from what is in force to\n" +
			"a change. What the files do not have stays, unless --remove is given; policies always stay. With\n" +
			"--dry-run nothing is stored: the preview is printed, for a review before merging.\n\n" +
			"Exit status: 0 nothing differs, or the edits were added, or nobody loses access; 1 with --dry-run:\n" +
			"somebody loses access or a setting becomes held; 2 a file cannot be used.",
		Example: "  rankwarden change from organisation/ --dry-run\n  rankwarden change from organisation/ --name " +
			"release-42",
		RunE: func(cmd *cobra.Command, args []string) error {
			if !dry && name == "" {
				return unusable{errors.New("give the change a name with --name, or use --dry-run")}
			}
			files, err := readFolder(args[0])
			if err != nil {
				return unusable{err}
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			now, err := inForce(cmd.Context(), c)
			if err != nil {
				return err
			}
			edits := difference(files, now, remove)
			switch {
			case len(edits) == 0:
				return a.did(folderResult{Edits: edits}, "The folder says what is in force. Nothing differs.\n")
			case dry:
				return a.dryRun(cmd, c, args[0], edits)
			}
			if _, err := c.CreateChange(cmd.Context(), name, title, reason); err != nil && !alreadyThere(err) {
				return err
			}
			for _, e := range edits {
				result, err := c.AddEdit(cmd.Context(), name, e)
				if err != nil {
					return fmt.Errorf("%s %s: %w", e.Kind, e.Name, err)
				}
				if err := a.warnings(e.Name, result.Problems, false); err != nil {
					return err
				}
			}
			return a.did(
				folderResult{Change: name, Edits: edits},
				"Added %s to the change %s: %s. See: rankwarden preview %s\n",
				plural(len(edits), "edit", "edits"),
				name,
				strings.Join(namesOf(edits, editName), ", "),
				name,
			)
		},
	}
	f := cmd.Flags()
	f.StringVar(&name, "name", "", "`name` of the change; it is created when it does not exist")
	f.StringVar(&title, "title", "", "`title` of a new change, in a few words")
	f.StringVar(&reason, "reason", "", "`reason` for it")
	f.BoolVar(&remove, "remove", false, "also remove assignments and groups that the files do not have")
	f.BoolVar(&dry, "dry-run", false, "store nothing, and print the preview")
	return cmd
}

// folderResult is what a folder differs in.
type folderResult struct {
	Change  string           `json:"change,omitempty"`
	Edits   []api.ChangeEdit `json:"edits"`
	Preview *api.Preview     `json:"preview,omitempty"`
}

func editName(e api.ChangeEdit) string { return editKind(e) + " " + e.Name }

func editKind(e api.ChangeEdit) string { return strings.ReplaceAll(string(e.Kind), "_", " ") }

func alreadyThere(err error) bool {
	var p *client.Problem
	return errors.As(err, &p) && p.Status == http.StatusConflict
}

// dryRun prints what edits would do, and answers no when somebody loses access.
func (a *app) dryRun(cmd *cobra.Command, c *client.Client, dir string, edits []api.ChangeEdit) error {
	p, err := c.PreviewEdits(cmd.Context(), edits)
	if err != nil {
		return err
	}
	err = a.one(folderResult{Edits: edits, Preview: &p}, func() error {
		for _, e := range edits {
			fmt.Fprintf(a.out, "  %-10s  %-24s %s\n", editKind(e), e.Name, editWords(e))
		}
		fmt.Fprintln(a.out)
		a.previewed(dir+": "+plural(len(edits), "edit", "edits"), p)
		return nil
	})
	if err == nil && p.TakesAway {
		err = errNo
	}
	return err
}
