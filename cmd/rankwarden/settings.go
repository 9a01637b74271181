package main

import (
	"github.com/spf13/cobra"

	"rankwarden.example/api"
)

func (a *app) settingsCommand() *cobra.Command {
	return ofList(&cobra.Command{
		Use: "settings", Short: "Show how the service is configured, for owners", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := c.Settings(cmd.Context())
			if err != nil {
				return err
			}
			return list(a, items, "No settings.",
				column[api.Setting]{title: "Section", value: func(s api.Setting) string { return s.Section }},
				column[api.Setting]{title: "Setting", wrap: 1, value: func(s api.Setting) string { return s.Title }},
				column[api.Setting]{title: "Value", wrap: 1, value: func(s api.Setting) string { return s.Value }},
				column[api.Setting]{title: "Option of rankwardend serve", wrap: 1,
					value: func(s api.Setting) string { return s.Option }},
			)
		},
	})
}
