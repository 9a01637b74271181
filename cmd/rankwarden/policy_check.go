package main

import (
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"rankwarden.example/core/policy"
)

func (a *app) policyCheck() *cobra.Command {
	var strict, against bool
	cmd := &cobra.Command{
		Use: "check FILE...", Short: "Check policy files, without a service or against one",
		Args: cobra.MinimumNArgs(1),
		Long: "Check policy files, without a service. - reads standard input. What only the service can compare,\n" +
			"such as names of people and groups, is named at the end. With --against-service the service checks\n" +
			"them, and says which accounts that exist already a policy would take over; nothing is stored.\n\n" +
			"Exit status: 0 no error, 1 errors, or with --strict warnings, 2 a file cannot be read.",
		RunE: func(cmd *cobra.Command, files []string) error {
			if against {
				return a.checkAgainst(cmd, files, strict)
			}
			found := []fileProblem{}
			usable := true
			var unseen []string
			for _, file := range files {
				source, err := readFile(file)
				if err != nil {
					return err
				}
				doc, problems := policy.Parse(source, nil)
				usable = usable && policy.Usable(problems) && (!strict || len(problems) == 0)
				unseen = append(unseen, inDirectory(doc)...)
				for _, p := range problems {
					found = append(found, fileProblem{file, p})
				}
			}
			if err := a.printProblems(found, len(files)); err != nil {
				return err
			}
			if len(unseen) > 0 {
				slices.Sort(unseen)
				a.notice(
					"Not checked against the directory (only the service can): %s\n",
					strings.Join(slices.Compact(unseen), ", "),
				)
			}
			if !usable {
				return errNo
			}
			return nil
		},
	}
	cmd.Flags().BoolVar(&strict, "strict", false, "warnings fail as well")
	cmd.Flags().BoolVar(&against, "against-service", false, "have the service check them, without storing anything")
	return ofList(cmd)
}

// checkAgainst has the service check policy files, and says what they would take over.
func (a *app) checkAgainst(cmd *cobra.Command, files []string, strict bool) error {
	c, err := a.connect()
	if err != nil {
		return err
	}
	found, usable := []fileProblem{}, true
	var exists []string
	for _, file := range files {
		source, err := readFile(file)
		if err != nil {
			return err
		}
		checked, err := c.CheckPolicy(cmd.Context(), string(source))
		if err != nil {
			return fmt.Errorf("%s: %w", file, err)
		}
		usable = usable && policy.Usable(checked.Problems) && (!strict || len(checked.Problems) == 0)
		for _, p := range checked.Problems {
			found = append(found, fileProblem{file, p})
		}
		for _, e := range checked.Exists {
			exists = append(exists, fmt.Sprintf("%s: the account %s (%s) exists already on %s, and would be taken over",
				file, e.Key, e.Name, plural(e.Devices, "device", "devices")))
		}
	}
	if err := a.printProblems(found, len(files)); err != nil {
		return err
	}
	for _, line := range exists {
		a.notice("%s\n", line)
	}
	if !usable {
		return errNo
	}
	return nil
}

// inDirectory are the people and groups that a document names.
func inDirectory(doc *policy.Document) []string {
	var names []string
	if doc == nil {
		return nil
	}
	for _, ref := range doc.Principals() {
		if ref.Kind().InDirectory() {
			names = append(names, ref.String())
		}
	}
	return names
}
