package main

import (
	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"rankwarden.example/api"
)

func (a *app) deviceHistory() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "history DEVICE SETTING",
		Short: "Show what happened to a setting of a device, and who was there",
		Long: "Show what happened to a setting of a device in the last 30 days, latest first: what was found and\n" +
			"how it ended, what the device did about it, who signed in there, and which operators saw a password\n" +
			"of it. No system says who changed a setting; who was there is the best that is known.",
		Example:           "  rankwarden device history SKL-HBR-003 administrators",
		Args:              cobra.ExactArgs(2),
		ValidArgsFunction: a.completeDevices,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := c.SettingHistory(cmd.Context(), args[0], args[1])
			if err != nil {
				return err
			}
			return list(
				a,
				items,
				"Nothing happened to it in the last 30 days.",
				column[api.Happened]{title: "When", value: func(h api.Happened) string { return a.when(h.At) }},
				column[api.Happened]{
					title: "What",
					value: whatHappened,
					paint: func(h api.Happened) text.Colors {
						if h.What == "found" {
							return text.Colors{text.FgRed}
						}
						return nil
					},
				},
				column[api.Happened]{title: "In words", wrap: 1, value: func(h api.Happened) string { return h.Words }},
			)
		},
	}
	return ofList(cmd)
}

// whatHappened names what happened; an operator stands for what they did.
func whatHappened(h api.Happened) string {
	switch h.What {
	case "corrected":
		return "corrected by the device"
	case "event":
		return "on the device"
	case "viewed":
		return h.Operator
	}
	return h.What
}
