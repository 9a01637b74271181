package main

import (
	"strconv"

	"github.com/spf13/cobra"

	"rankwarden.example/api"
)

func (a *app) waitingCommand() *cobra.Command {
	return ofList(&cobra.Command{
		Use: "waiting", Short: "List everything that waits for somebody's decision", Args: cobra.NoArgs,
		Long: "List everything that waits for somebody: changes, waves, what the brake holds, views of passwords,\n" +
			"waivers and keys that need a second person; settings that are held; devices that wait for an owner;\n" +
			"and what is wrong with the service itself.\n\n" +
			"Exit status: 0 nothing waits; 1 something does.",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			o, err := c.Overview(cmd.Context())
			if err != nil {
				return err
			}
			err = list(a, o.Decisions, "Nothing waits for a decision.",
				column[api.Decision]{title: "What", wrap: 1, value: whatWaits},
				column[api.Decision]{title: "Devices", value: func(d api.Decision) string {
					if d.Devices == 0 {
						return ""
					}
					return strconv.Itoa(d.Devices)
				}},
				column[api.Decision]{title: "Why", wrap: 2, value: func(d api.Decision) string { return d.Detail }},
				column[api.Decision]{title: "Next", value: nextStep})
			if err == nil && len(o.Decisions) > 0 {
				err = errNo
			}
			return err
		},
	})
}

// whatWaits is what a decision is about, in words that stand alone.
func whatWaits(d api.Decision) string {
	said := map[string]string{
		"contested": " is contested", "held": " is held", "reverted": " is repeatedly reverted",
		"change": " waits for approval", "claim": " waits for an owner",
	}
	return d.Title + said[d.Kind]
}

// nextStep is the command with which a decision begins, empty where it is made on the machine of the service.
func nextStep(d api.Decision) string {
	switch d.Kind {
	case "change":
		return "rankwarden preview " + d.Object
	case "brake":
		return "rankwarden brake show " + d.Object
	case "wave":
		return "rankwarden rollout show " + d.Object
	case "claim":
		return "rankwarden device show " + d.Device
	}
	return map[string]string{
		"key": "rankwarden key list", "reveal": "rankwarden password approvals", "waiver": "rankwarden waiver list",
		"warrant": "rankwarden warrant list", "sheet": "rankwarden password sheets",
		"contested": "rankwarden held", "held": "rankwarden held",
		"reverted":  "rankwarden events --kind repeatedly_reverted",
		"directory": "rankwarden directory", "frozen": "rankwarden freeze list", "trail": "rankwarden trail verify",
		"recovery": "rankwarden password list --unrecovered",
	}[d.Kind]
}
