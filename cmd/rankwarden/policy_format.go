package main

import (
	"bytes"
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"rankwarden.example/core/policy"
	"rankwarden.example/core/present"
)

func (a *app) policyTidy() *cobra.Command {
	var write bool
	cmd := &cobra.Command{
		Use:   "format FILE...",
		Short: "Format policy files in canonical form, comments kept; no service is needed",
		Args:  cobra.MinimumNArgs(1),
		RunE: func(_ *cobra.Command, files []string) error {
			for _, file := range files {
				source, err := readFile(file)
				if err != nil {
					return err
				}
				doc, problems := policy.Parse(source, nil)
				if !policy.Usable(problems) {
					return unusable{
						fmt.Errorf("%s has errors and stays as it is; run: rankwarden policy check %s", file, file),
					}
				}
				tidy := policy.Write(doc, source)
				switch {
				case !write || file == "-":
					if _, err := a.out.Write(tidy); err != nil {
						return err
					}
				case !bytes.Equal(source, tidy):
					if err := os.WriteFile(file, tidy, 0o644); err != nil {
						return unusable{err}
					}
					fmt.Fprintf(a.out, "Tidied %s.\n", file)
				}
			}
			return nil
		},
	}
	cmd.Flags().BoolVar(&write, "write", false, "write the files instead of printing them")
	return cmd
}

func (a *app) policyWords() *cobra.Command {
	return ofList(&cobra.Command{
		Use:   "describe FILE",
		Short: "Describe a policy file in words, with the strength of its secrets; no service is needed",
		Args:  cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			source, err := readFile(args[0])
			if err != nil {
				return err
			}
			doc, problems := policy.Parse(source, nil)
			if !policy.Usable(problems) {
				return unusable{fmt.Errorf("%s has errors; run: rankwarden policy check %[1]s", args[0])}
			}
			return list(a, present.Policy(doc.Normalise(nil)), "No settings.",
				column[present.Line]{title: "Section", value: func(l present.Line) string { return l.Section }},
				column[present.Line]{title: "Setting", value: func(l present.Line) string { return l.Title }},
				column[present.Line]{title: "Value", wrap: 1, value: func(l present.Line) string { return l.Words }})
		},
	})
}

func (a *app) policySchema() *cobra.Command {
	return &cobra.Command{
		Use: "schema", Short: "Print the JSON Schema (2020-12) of policy documents, for editors", Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			_, err := a.out.Write(policy.Schema)
			return err
		},
	}
}
