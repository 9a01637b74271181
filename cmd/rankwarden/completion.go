package main

import (
	"fmt"

	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

func (a *app) completePolicies(cmd *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	return a.complete(func(c *client.Client) ([]string, error) {
		page, err := c.Policies(cmd.Context(), "", client.Page{Limit: 500})
		return namesOf(page.Items, func(p api.PolicySummary) string { return p.Name }), err
	})
}

// complete asks the service for words; without one there are none.
func (a *app) complete(ask func(c *client.Client) ([]string, error)) ([]string, cobra.ShellCompDirective) {
	c, err := a.connect()
	if err != nil {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	words, err := ask(c)
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	return words, cobra.ShellCompDirectiveNoFileComp
}

func namesOf[T any](items []T, name func(T) string) []string {
	names := make([]string, len(items))
	for i, item := range items {
		names[i] = name(item)
	}
	return names
}

func plural(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}
