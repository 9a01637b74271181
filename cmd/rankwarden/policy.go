package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/policy"
)

func (a *app) policyCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "policy", Short: "Check, save, publish and show policies"}
	cmd.AddCommand(
		a.policyCheck(),
		a.policySave(),
		a.policyPublish(),
		a.policyShow(),
		a.policyList(),
		a.policyTidy(),
		a.policyWords(),
		a.policySchema(),
		a.policyDelete(),
	)
	return cmd
}

// fileProblem is a problem with the file it is in.
type fileProblem struct {
	File string `json:"file"`
	policy.Problem
}

// warnings prints the warnings about a document that the service knows. With strict they are an error.
func (a *app) warnings(name string, problems []policy.Problem, strict bool) error {
	for _, p := range problems {
		a.notice("%s: %s\n", name, p)
	}
	if strict && len(problems) > 0 {
		return fmt.Errorf("%w: %s has warnings", errStrict, name)
	}
	return nil
}

// errStrict is given for warnings under --strict.
var errStrict = errors.New("nothing was done, because of --strict")

func (a *app) printProblems(found []fileProblem, files int) error {
	return list(
		a,
		found,
		fmt.Sprintf("%s checked, no problems found.", plural(files, "file", "files")),
		column[fileProblem]{
			title: "Place",
			value: func(p fileProblem) string { return fmt.Sprintf("%s:%d:%d", p.File, p.Line, p.Column) },
		},
		column[fileProblem]{
			title: "",
			value: func(p fileProblem) string { return string(p.Severity) },
			paint: func(p fileProblem) text.Colors {
				if p.Severity == policy.Error {
					return text.Colors{text.FgRed}
				}
				return text.Colors{text.FgYellow}
			},
		},
		column[fileProblem]{title: "Key", value: func(p fileProblem) string { return p.Path }},
		column[fileProblem]{title: "What to do", wrap: 1, value: func(p fileProblem) string { return p.Message }},
	)
}

// readFile reads a file, or standard input for "-".
func readFile(name string) ([]byte, error) {
	if name == "-" {
		source, err := io.ReadAll(io.LimitReader(os.Stdin, policy.MaxSize+1))
		if err != nil {
			return nil, unusable{fmt.Errorf("reading standard input: %w", err)}
		}
		return source, nil
	}
	source, err := os.ReadFile(name)
	if err != nil {
		return nil, unusable{err}
	}
	return source, nil
}

func (a *app) policySave() *cobra.Command {
	var publish, strict bool
	var d draft
	cmd := &cobra.Command{
		Use:   "save FILE...",
		Short: "Save policy files as drafts, or add them to a change; each document names its policy",
		Args:  cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, files []string) error {
			if publish && d.change != "" {
				return unusable{errors.New("--publish acts at once and --change does not; use one")}
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			for _, file := range files {
				source, err := readFile(file)
				if err != nil {
					return err
				}
				if strict {
					checked, err := c.CheckPolicy(cmd.Context(), string(source))
					if err != nil {
						return err
					}
					if policy.Usable(checked.Problems) {
						if err := a.warnings(file, checked.Problems, true); err != nil {
							return err
						}
					}
				}
				if d.change != "" {
					if err := a.draftPolicy(cmd, c, &d, string(source)); err != nil {
						return fmt.Errorf("%s: %w", file, err)
					}
					continue
				}
				p, err := save(cmd.Context(), c, string(source))
				if err != nil {
					return fmt.Errorf("%s: %w", file, err)
				}
				if err := a.warnings(file, p.Problems, false); err != nil {
					return err
				}
				if err := a.did(p, "Saved the draft of %s.\n", p.Name); err != nil {
					return err
				}
				if publish {
					if err := a.publish(cmd.Context(), c, p.Name, strict); err != nil {
						return err
					}
				}
			}
			return nil
		},
	}
	d.flag(a, cmd)
	cmd.Flags().BoolVar(&publish, "publish", false, "publish each at once")
	cmd.Flags().BoolVar(&strict, "strict", false, "warnings fail, and nothing is saved")
	return a.atTheDoor(cmd)
}

// save stores a document over whatever the service has now.
func save(ctx context.Context, c *client.Client, source string) (api.Policy, error) {
	doc, problems := policy.Parse([]byte(source), nil)
	if doc == nil || doc.Name == "" {
		return api.Policy{}, &client.Problem{Detail: "the policy cannot be used; nothing was sent", Problems: problems}
	}
	now, err := c.Policy(ctx, doc.Name)
	var p *client.Problem
	if errors.As(err, &p) && p.Status == http.StatusNotFound {
		return c.CreatePolicy(ctx, source)
	}
	if err != nil {
		return api.Policy{}, err
	}
	return c.SavePolicy(ctx, doc.Name, source, now.Version)
}

func (a *app) policyPublish() *cobra.Command {
	var strict bool
	cmd := &cobra.Command{
		Use:               "publish NAME...",
		Short:             "Publish drafts; their devices get the new revision at once",
		Args:              cobra.MinimumNArgs(1),
		ValidArgsFunction: a.completePolicies,
		RunE: func(cmd *cobra.Command, names []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			for _, name := range names {
				if err := a.publish(cmd.Context(), c, name, strict); err != nil {
					return err
				}
			}
			return nil
		},
	}
	cmd.Flags().BoolVar(&strict, "strict", false, "warnings fail, and nothing is published")
	return a.atTheDoor(cmd)
}

func (a *app) publish(ctx context.Context, c *client.Client, name string, strict bool) error {
	p, err := c.Policy(ctx, name)
	if err != nil {
		return err
	}
	if err := a.warnings(name, p.Problems, strict); err != nil {
		return err
	}
	var done api.Publication
	err = a.edited(ctx, c, func() error {
		done, err = c.PublishPolicy(ctx, name, p.Version)
		return err
	})
	if err != nil {
		return err
	}
	moved := "No assignment uses it yet."
	if n := len(done.Moved); n > 0 {
		moved = fmt.Sprintf(
			"Moved %s to it, for all devices at once: %s.",
			plural(n, "assignment", "assignments"),
			strings.Join(done.Moved, ", "),
		)
	}
	return a.did(done, "Published %s as revision %d. %s\n", done.Policy, done.Revision, moved)
}

func (a *app) policyShow() *cobra.Command {
	var revision int
	cmd := &cobra.Command{
		Use: "show NAME", Short: "Print a policy's document: the draft, or a revision", Args: cobra.ExactArgs(1),
		ValidArgsFunction: a.completePolicies,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			if revision > 0 {
				r, err := c.Revision(cmd.Context(), args[0], revision)
				if err != nil {
					return err
				}
				return a.one(r, func() error { _, err := fmt.Fprint(a.out, r.Source); return err })
			}
			p, err := c.Policy(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			return a.one(p, func() error { _, err := fmt.Fprint(a.out, p.Source); return err })
		},
	}
	cmd.Flags().IntVar(&revision, "revision", 0, "`number` of a published revision")
	return cmd
}

func (a *app) policyList() *cobra.Command {
	var search string
	cmd := &cobra.Command{
		Use: "list", Short: "List policies, where each is used and how its devices stand", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := client.All(0, func(p client.Page) (client.List[api.PolicySummary], error) {
				return c.Policies(cmd.Context(), search, p)
			})
			if err != nil {
				return err
			}
			count := func(title string, of func(s api.Standings) int) column[api.PolicySummary] {
				return column[api.PolicySummary]{
					title: title,
					right: true,
					value: func(p api.PolicySummary) string { return strconv.Itoa(of(p.Standings)) },
				}
			}
			return list(
				a,
				items,
				"No policies yet. Write one and run: rankwarden policy save FILE",
				column[api.PolicySummary]{title: "Policy", value: func(p api.PolicySummary) string { return p.Name }},
				column[api.PolicySummary]{
					title: "Title",
					wrap:  1,
					value: func(p api.PolicySummary) string { return p.Title },
				},
				column[api.PolicySummary]{title: "Rev", right: true, value: func(p api.PolicySummary) string {
					if p.Revision == 0 {
						return "draft"
					}
					return strconv.Itoa(p.Revision)
				}},
				column[api.PolicySummary]{title: "Used by", wrap: 1, value: func(p api.PolicySummary) string {
					names := make([]string, len(p.Assignments))
					for i, x := range p.Assignments {
						names[i] = fmt.Sprintf("%s (%d)", x.Name, x.Rank)
					}
					return strings.Join(names, ", ")
				}},
				count("In step", func(s api.Standings) int { return s.InStep }),
				count("Drifted", func(s api.Standings) int { return s.Drifted }),
				count("Waiting", func(s api.Standings) int { return s.Waiting }),
				count("Held", func(s api.Standings) int { return s.Held }),
				count("Silent", func(s api.Standings) int { return s.Silent }),
			)
		},
	}
	cmd.Flags().StringVar(&search, "search", "", "`text` in a name or title")
	return ofList(cmd)
}
