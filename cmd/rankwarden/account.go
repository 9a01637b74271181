package main

import (
	"cmp"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

func (a *app) accountCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "account",
		Short: "Local accounts: what devices have, asked for by a policy or not",
	}
	cmd.AddCommand(a.accountList(), a.accountShow(), a.accountLeftBehind(), a.accountDisable(), a.accountRemove())
	return cmd
}

func (a *app) accountList() *cobra.Command {
	var q client.AccountQuery
	cmd := &cobra.Command{
		Use: "list", Short: "List names of local accounts, with how many devices have one", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := client.All(0, func(p client.Page) (client.List[api.AccountName], error) {
				return c.Accounts(cmd.Context(), q, p)
			})
			if err != nil {
				return err
			}
			type row = api.AccountName
			count := func(title string, of func(row) int) column[row] {
				return column[row]{title: title, right: true, value: func(x row) string { return strconv.Itoa(of(x)) }}
			}
			return list(
				a, items, "No device has such an account.",
				column[row]{title: "Name", value: func(x row) string { return x.Name }},
				count("Devices", func(x row) int { return x.Devices }),
				count("Enabled", func(x row) int { return x.Enabled }),
				count("Privileged", func(x row) int { return x.Privileged }),
				count("Managed or left", func(x row) int { return x.Managed }),
				count("Built in", func(x row) int { return x.Builtin }),
			)
		},
	}
	f := cmd.Flags()
	f.StringVar(&q.Search, "search", "", "only names with this `part`")
	f.StringVar(&q.Group, "group", "", "only on devices of this `group`")
	f.BoolVar(&q.Unknown, "unknown", false, "only accounts that no policy manages and that are not built in")
	f.BoolVar(&q.Privileged, "privileged", false, "only accounts that can take a device over")
	return ofList(cmd)
}

func (a *app) accountShow() *cobra.Command {
	return ofList(&cobra.Command{
		Use: "show NAME", Short: "List the devices that have a local account of a name", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := client.All(0, func(p client.Page) (client.List[api.LocalAccount], error) {
				return c.AccountDevices(cmd.Context(), args[0], p)
			})
			if err != nil {
				return err
			}
			type row = api.LocalAccount
			return list(
				a, items, "No device has an account of this name.",
				column[row]{title: "Device", value: func(x row) string { return x.Device }},
				column[row]{title: "Account", value: func(x row) string { return x.Name }},
				column[row]{title: "Enabled", value: func(x row) string { return yesNo(x.Enabled) }},
				column[row]{title: "Privileged", value: func(x row) string { return yesNo(x.Privileged) }},
				column[row]{title: "Of", value: func(x row) string { return whose(x.Key, x.Builtin) }},
				column[row]{
					title: "Password set",
					value: func(x row) string { return a.sometime(x.PasswordSetAt, "unknown") },
				},
				column[row]{title: "Last sign-in", value: func(x row) string { return a.day(x.LastSignIn) }},
				column[row]{title: "Runs", value: func(x row) string { return strings.Join(x.Runs, ", ") }},
				column[row]{title: "First seen", value: func(x row) string { return a.when(x.Since) }},
				column[row]{title: "Identifier", value: func(x row) string { return x.SID }},
			)
		},
	})
}

// day is the day of a last sign-in.
func (a *app) day(at *time.Time) string {
	if at == nil {
		return "none known"
	}
	return at.UTC().Format(time.DateOnly)
}

func yesNo(is bool) string {
	if is {
		return "yes"
	}
	return "no"
}

// whose says to what a local account belongs.
func whose(key, builtin string) string {
	switch {
	case key != "":
		return "policy account " + key
	case builtin != "":
		return "built in"
	}
	return "no policy"
}

func (a *app) whereCommand() *cobra.Command {
	var all bool
	cmd := &cobra.Command{
		Use: "who PRINCIPAL", Short: "List where somebody is an administrator", Args: cobra.ExactArgs(1),
		Long: "List the devices on which somebody is in a local group whose members can take the device over: a\n" +
			"person or group of the directory (user:NAME@DOMAIN, group:NAME@DOMAIN), an identifier (S-1-…), or the\n" +
			"name of a local account. Whoever is in through groups of the directory is found, with the way.",
		Example: "  rankwarden who \"group:Fleet Support@skerryline.example\"\n  rankwarden who counter --all",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := client.All(0, func(p client.Page) (client.List[api.LocalMember], error) {
				return c.Memberships(cmd.Context(), args[0], all, p)
			})
			if err != nil {
				return err
			}
			return a.members(items, "Nowhere, as far as devices have reported.",
				column[api.LocalMember]{title: "Device", value: func(x api.LocalMember) string { return x.Device }})
		},
	}
	cmd.Flags().BoolVar(&all, "all", false, "in any local group")
	return ofList(cmd)
}

func (a *app) deviceAdministrators() *cobra.Command {
	return ofList(&cobra.Command{
		Use: "administrators DEVICE", Short: "List who is in local groups of a device whose members can take it over",
		Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeDevices,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := c.Administrators(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			return a.members(items, "Nobody, as far as the device has reported.")
		},
	})
}

// members prints who is in local groups.
func (a *app) members(items []api.LocalMember, none string, first ...column[api.LocalMember]) error {
	type row = api.LocalMember
	return list(a, items, none, append(first,
		column[row]{title: "Local group", value: func(x row) string { return x.LocalGroup }},
		column[row]{title: "Member", value: func(x row) string { return cmp.Or(x.Name, x.SID) }},
		column[row]{title: "Kind", value: func(x row) string {
			switch {
			case strings.HasPrefix(x.SID, "S-1-22-2-"), strings.HasPrefix(x.SID, "S-1-5-32-"):
				return "local group"
			case strings.HasPrefix(x.SID, "S-1-22-0-"):
				return "no account"
			case !x.Local && x.Name == "":
				return "unknown identifier"
			case !x.Local:
				return "from the directory"
			case !x.Enabled:
				return "local account, disabled"
			}
			return "local account"
		}},
		column[row]{title: "Of", value: func(x row) string {
			if !x.Local {
				return ""
			}
			return whose(x.Key, x.Builtin)
		}},
		column[row]{title: "How", value: func(x row) string { return x.How }},
		column[row]{title: "Wanted by", value: func(x row) string {
			return cmp.Or(strings.Join(x.WantedBy, ", "), "nobody")
		}},
		column[row]{title: "Last sign-in", value: func(x row) string {
			if !x.Local {
				return ""
			}
			return a.day(x.LastSignIn)
		}},
		column[row]{title: "First seen", value: func(x row) string { return a.when(x.Since) }},
		column[row]{title: "Identifier", value: func(x row) string { return x.SID }},
	)...)
}
