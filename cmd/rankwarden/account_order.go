package main

import (
	"errors"
	"fmt"
	"os"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

func (a *app) accountLeftBehind() *cobra.Command {
	var group string
	cmd := &cobra.Command{
		Use: "left-behind", Args: cobra.NoArgs,
		Short: "List accounts that a policy managed once and none does any more",
		Long: "List accounts that a policy managed once and none does any more: nobody changes their passwords.\n" +
			"Manage one again by assigning a policy that has an account of its key, or disable or remove it.",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := client.All(0, func(p client.Page) (client.List[api.LocalAccount], error) {
				return c.LeftBehind(cmd.Context(), group, p)
			})
			if err != nil {
				return err
			}
			type row = api.LocalAccount
			return list(
				a, items, "No account is left behind.",
				column[row]{title: "Device", value: func(x row) string { return x.Device }},
				column[row]{title: "Account", value: func(x row) string { return x.Name }},
				column[row]{title: "Key", value: func(x row) string { return x.Key }},
				column[row]{title: "Enabled", value: func(x row) string { return yesNo(x.Enabled) }},
				column[row]{title: "Privileged", value: func(x row) string { return yesNo(x.Privileged) }},
				column[row]{
					title: "Password set",
					value: func(x row) string { return a.sometime(x.PasswordSetAt, "unknown") },
				},
				column[row]{title: "Last sign-in", value: func(x row) string { return a.day(x.LastSignIn) }},
			)
		},
	}
	cmd.Flags().StringVar(&group, "group", "", "only on devices of this `group`")
	_ = cmd.RegisterFlagCompletionFunc("group", a.completeGroups)
	return ofList(cmd)
}

func (a *app) accountDisable() *cobra.Command {
	return a.letGo("disable", "Disable a local account that no policy manages",
		"Disable a local account that no policy manages, and end its sessions. The last usable administrator stays,\n"+
			"and so does an account that a service or a scheduled task runs as.",
		"  rankwarden account disable eilif --group bridges")
}

func (a *app) accountRemove() *cobra.Command {
	return a.letGo("remove", "Remove a local account that no policy manages",
		"Remove a local account that no policy manages. Its files stay where they are; with --files move they go\n"+
			"into a directory of the day, where the device has Linux. The last usable administrator stays, and so\n"+
			"does an account that a service or a scheduled task runs as.",
		"  rankwarden account remove local:eilif --device SKL-WKS-004 --files move")
}

// letGo is the command that shows what an order to disable or remove an account would do, asks, and sends it.
func (a *app) letGo(do, short, long, example string) *cobra.Command {
	o := api.SeenAccountOrder{AccountOrder: api.AccountOrder{Do: do, Files: "keep"}}
	var yes, wait bool
	cmd := &cobra.Command{
		Use: do + " ACCOUNT", Short: short, Long: long, Example: example, Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			o.Account = args[0]
			p, err := c.PreviewAccountOrder(cmd.Context(), o.AccountOrder)
			if err != nil {
				return err
			}
			if err := a.mayLetGo(o, p, yes); err != nil {
				return err
			}
			if o.Digest == "" {
				o.Digest = p.Digest
			}
			given, err := c.OrderAccount(cmd.Context(), o)
			switch {
			case err != nil:
				return err
			case wait:
				return a.waitForOrders(cmd.Context(), c, given)
			}
			return a.did(given, "Sent to %s%s. See: rankwarden order list\n", plural(given.Given, "device", "devices"),
				waitsForSilent(given))
		},
	}
	f := cmd.Flags()
	f.StringSliceVar(&o.Devices, "device", nil, "on this `device`; may be given several times")
	f.StringVar(&o.Group, "group", "", "on every device of this `group`")
	f.StringVar(&o.Digest, "expect", "", "`digest` of the preview you have seen: do exactly that, or nothing")
	f.BoolVar(&yes, "yes", false, "do not ask")
	f.BoolVar(&wait, "wait", false, "wait for the devices, other than silent ones, and show how far they are")
	if do == "remove" {
		f.StringVar(&o.Files, "files", "keep", "what becomes of its files: `keep` or move")
	}
	_ = cmd.RegisterFlagCompletionFunc("device", a.completeDevices)
	_ = cmd.RegisterFlagCompletionFunc("group", a.completeGroups)
	return cmd
}

// mayLetGo shows what the order would do, and asks.
func (a *app) mayLetGo(o api.SeenAccountOrder, p api.AccountOrderPreview, yes bool) error {
	fmt.Fprintf(a.err, "%s would be told to %s %s, on %d of them an administrator.\n",
		plural(p.Devices, "device", "devices"), o.Do, o.Account, p.Privileged)
	for _, x := range p.Accounts {
		said := "last sign-in " + a.day(x.LastSignIn)
		if x.Refused != "" {
			said = "left alone: " + x.Refused
		}
		fmt.Fprintf(a.err, "  %s  %s (%s)\n", x.Device, x.Name, said)
	}
	if more := p.Devices + p.Refused - len(p.Accounts); more > 0 {
		fmt.Fprintf(a.err, "  and %d more\n", more)
	}
	for _, why := range p.Needs {
		fmt.Fprintf(a.err, "One person alone cannot order this: %s.\n", why)
	}
	switch {
	case yes || o.Digest != "" || p.Devices == 0 || len(p.Needs) > 0: // the service says the rest
		return nil
	case !term.IsTerminal(int(os.Stdin.Fd())):
		return unusable{errors.New("there is nobody to ask; look at this, and do exactly it with: --expect " +
			p.Digest)}
	}
	return confirm("Do it? [y/N] ")
}
