package main

import (
	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/policy"
)

// draftPolicy adds a document to a change.
func (a *app) draftPolicy(cmd *cobra.Command, c *client.Client, d *draft, source string) error {
	doc, problems := policy.Parse([]byte(source), nil)
	if doc == nil || doc.Name == "" {
		return &client.Problem{Detail: "the policy cannot be used; nothing was sent", Problems: problems}
	}
	now, err := c.Policy(cmd.Context(), doc.Name)
	version, err := versionOf(now.Version, err)
	if err != nil {
		return err
	}
	return d.add(
		a,
		cmd,
		c,
		"policy",
		api.ChangeEdit{Kind: "publish", Name: doc.Name, Document: source, BasedOn: version},
	)
}
