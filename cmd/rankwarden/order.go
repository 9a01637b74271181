package main

import (
	"maps"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/internal/wire/protocol"
)

func (a *app) orderCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "order", Short: "Send orders to devices, and see their results"}
	cmd.AddCommand(a.orderGive(), a.orderList())
	return cmd
}

func (a *app) orderGive() *cobra.Command {
	var o api.NewOrder
	var wait bool
	kinds := slices.Sorted(maps.Keys(protocol.OrderKinds))
	cmd := &cobra.Command{
		Use:   "send KIND [DEVICE...]",
		Short: "Send an order to devices: " + strings.Join(kinds, ", "),
		Args:  cobra.MinimumNArgs(1),
		Long: "Send an order to devices. check-in: check in now. re-apply: apply everything again, also what is\n" +
			"repeatedly reverted. collect: report everything. unlock and end-sessions need --account. rotate:\n" +
			"rotate the password of --account, or every password with a rotation.\n\n" +
			"An order waits for a device that is silent: unlock and end-sessions for an hour, rotate until it\n" +
			"checks in, the others for a day.\n\n" +
			"Exit status with --wait: 0 all devices have done it; 1 it failed or ended on some, or waits for one\n" +
			"that is silent.",
		Example: "  rankwarden order send unlock SKL-TKT-004 --account local:counter\n" +
			"  rankwarden order send re-apply --group ticket-desks",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			o.Kind, o.Devices = args[0], args[1:]
			given, err := c.SendOrder(cmd.Context(), o)
			if err != nil {
				return err
			}
			if wait {
				return a.waitForOrders(cmd.Context(), c, given)
			}
			return a.did(given, "Sent %s to %s%s. See: rankwarden order list\n", o.Kind,
				plural(given.Given, "device", "devices"), waitsForSilent(given))
		},
	}
	cmd.Flags().
		StringVar(&o.Subject, "account", "", "the `account`: its key, account:KEY, builtin:administrator, local:NAME "+
			"or sid:S-1-…")
	cmd.Flags().
		BoolVar(&wait, "wait", false, "wait for the devices, other than silent ones, and show how far they are; "+
			"Ctrl-C leaves the orders as they are")
	cmd.Flags().StringVar(&o.Group, "group", "", "every device of this `group` as well")
	_ = cmd.RegisterFlagCompletionFunc("group", a.completeGroups)
	return cmd
}

func (a *app) orderList() *cobra.Command {
	var q client.PastQuery
	var most int
	var past pastFlags
	cmd := &cobra.Command{
		Use: "list", Short: "List orders, latest first", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			var err error
			if q.Since, q.Until, err = past.times(a.now); err != nil {
				return err
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := atMost(most, func(p client.Page) (client.List[api.Order], error) {
				return c.Orders(cmd.Context(), q, p)
			})
			if err != nil {
				return err
			}
			return list(
				a,
				items,
				"No orders.",
				column[api.Order]{title: "Sent", value: func(o api.Order) string { return a.when(o.CreatedAt) }},
				column[api.Order]{title: "Device", value: func(o api.Order) string { return o.Device }},
				column[api.Order]{
					title: "Order",
					value: func(o api.Order) string { return strings.TrimSpace(o.Kind + " " + o.Subject) },
				},
				column[api.Order]{
					title: "State",
					value: func(o api.Order) string { return o.State },
					paint: func(o api.Order) text.Colors {
						return map[string]text.Colors{"done": {text.FgGreen}, "failed": {text.FgRed},
							"ended": {text.FgRed}}[o.State]
					},
				},
				column[api.Order]{title: "", wrap: 1, value: func(o api.Order) string {
					if o.State == "queued" && o.EndsAt == nil {
						return "waits for the device"
					}
					if o.State == "queued" {
						return "waits for the device, ends " + a.when(*o.EndsAt)
					}
					if o.State == "delivered" && o.NotBefore != nil && o.Detail == "" {
						return "begins " + a.when(*o.NotBefore)
					}
					return o.Detail
				}},
				column[api.Order]{title: "By", value: func(o api.Order) string { return o.CreatedBy }},
			)
		},
	}
	cmd.Flags().StringVar(&q.Device, "device", "", "only of this `device`")
	cmd.Flags().StringVar(&q.Group, "group", "", "only of the devices of this `group`")
	past.add(cmd)
	_ = cmd.RegisterFlagCompletionFunc("group", a.completeGroups)
	cmd.Flags().IntVar(&most, "most", 50, "list at most this `number`; 0 for all")
	_ = cmd.RegisterFlagCompletionFunc("device", a.completeDevices)
	return ofList(cmd)
}
