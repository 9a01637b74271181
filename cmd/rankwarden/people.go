package main

import (
	"strings"

	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

func (a *app) devicePeople() *cobra.Command {
	return ofList(&cobra.Command{
		Use: "people DEVICE", Short: "List who may do what on a device: operators, with the roles that give it",
		Args:              cobra.ExactArgs(1),
		Example:           "  rankwarden device people SKL-TKT-004",
		ValidArgsFunction: a.completeDevices,
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.peopleOf(cmd, args[0], "", "Nobody.")
		},
	})
}

func (a *app) passwordReaders() *cobra.Command {
	return ofList(&cobra.Command{
		Use: "readers DEVICE", Short: "List who could see the passwords of a device, and approve somebody else's view",
		Long: "List who could see the passwords of a device: operators whose roles reach it with that right. The\n" +
			"same people can approve what somebody else asks for beyond their budget. Programs see no passwords.",
		Args:              cobra.ExactArgs(1),
		Example:           "  rankwarden password readers SKL-TKT-004",
		ValidArgsFunction: a.completeDevices,
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.peopleOf(cmd, args[0], "reveal", "Nobody can see passwords of this device.")
		},
	})
}

// peopleOf lists who may do something on a device.
func (a *app) peopleOf(cmd *cobra.Command, device, right, nobody string) error {
	c, err := a.connect()
	if err != nil {
		return err
	}
	items, err := atMost(0, func(p client.Page) (client.List[api.DevicePerson], error) {
		return c.DevicePeople(cmd.Context(), device, right, p)
	})
	if err != nil {
		return err
	}
	return list(a, items, nobody,
		column[api.DevicePerson]{title: "Operator", value: func(p api.DevicePerson) string {
			switch {
			case p.Sealed:
				return p.Name + " (sealed)"
			case p.AtProvider:
				return p.Name + " (identity provider)"
			}
			return p.Name
		}},
		column[api.DevicePerson]{title: "May", wrap: 1, value: func(p api.DevicePerson) string {
			words := make([]string, len(p.Rights))
			for i, right := range p.Rights {
				words[i] = rightWords[right]
			}
			return strings.Join(words, ", ")
		}},
		column[api.DevicePerson]{title: "By", value: func(p api.DevicePerson) string { return roleWords(p.Roles) }},
	)
}

var rightWords = map[string]string{
	"look": "look", "reveal": "see passwords", "handle": "rotate and unlock", "ask": "ask for warrants",
	"draft":  "draft changes",
	"deploy": "apply and approve", "trail": "read the trail", "administer": "administer",
}

func (a *app) changeApprovers() *cobra.Command {
	return ofList(&cobra.Command{
		Use: "approvers NAME", Short: "List who can approve a change that waits", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := atMost(0, func(p client.Page) (client.List[api.Approver], error) {
				return c.Approvers(cmd.Context(), args[0], p)
			})
			if err != nil {
				return err
			}
			return list(a, items, "Nobody but who wrote it or asked for it reaches every device of it.",
				column[api.Approver]{title: "Operator", value: func(p api.Approver) string { return p.Name }})
		},
	})
}
