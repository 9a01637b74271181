package main

import (
	"fmt"
	"strconv"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

func (a *app) notificationCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "notification", Short: "Notifications to other systems and people: webhooks, syslog, mail",
		Long: "Notifications tell other systems and people what happened, as CloudEvents over HTTP, as syslog, or\n" +
			"as mail. Targets say where they go and of what; deliveries are retried for two days, and then\n" +
			"failed. Failed ones can be sent again.",
	}
	target := &cobra.Command{Use: "target", Short: "Where notifications go"}
	target.AddCommand(a.targetList(), a.targetShow(), a.targetCreate(), a.targetEdit(), a.targetDelete(),
		a.targetTest())
	cmd.AddCommand(target, a.deliveryList(), a.deliveryResend())
	return cmd
}

func (a *app) deliveryList() *cobra.Command {
	var q client.DeliveryQuery
	var most int
	cmd := &cobra.Command{
		Use: "list", Short: "List deliveries of notifications, latest first", Args: cobra.NoArgs,
		Example: "  rankwarden notification list --state failed",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := atMost(most, func(p client.Page) (client.List[api.Delivery], error) {
				return c.Deliveries(cmd.Context(), q, p)
			})
			if err != nil {
				return err
			}
			return list(a, items, "No deliveries.",
				column[api.Delivery]{title: "Delivery", right: true,
					value: func(d api.Delivery) string { return strconv.FormatInt(d.ID, 10) }},
				column[api.Delivery]{title: "Happened", value: func(d api.Delivery) string { return a.when(d.At) }},
				column[api.Delivery]{title: "Target", value: func(d api.Delivery) string { return d.Target }},
				column[api.Delivery]{title: "State", value: deliveryState, paint: func(d api.Delivery) text.Colors {
					return map[string]text.Colors{"failed": {text.FgRed}, "delivered": {text.FgGreen}}[d.State]
				}},
				column[api.Delivery]{title: "Event", value: func(d api.Delivery) string { return d.Event }},
				column[api.Delivery]{title: "Message", wrap: 2,
					value: func(d api.Delivery) string { return d.Message }},
				column[api.Delivery]{title: "Error", wrap: 1, value: func(d api.Delivery) string { return d.Error }},
			)
		},
	}
	f := cmd.Flags()
	f.StringVar(&q.Target, "target", "", "only to the `target` of this name")
	f.StringVar(&q.State, "state", "", "only those that are `waiting`, delivered or failed")
	f.StringVar(&q.Event, "event", "", "only of this `kind` of event")
	f.IntVar(&most, "most", 50, "list at most this `number` of deliveries; 0 for all")
	_ = cmd.RegisterFlagCompletionFunc("state",
		cobra.FixedCompletions([]string{"waiting", "delivered", "failed"}, cobra.ShellCompDirectiveNoFileComp))
	_ = cmd.RegisterFlagCompletionFunc("event", cobra.FixedCompletions(eventKinds, cobra.ShellCompDirectiveNoFileComp))
	return ofList(cmd)
}

// deliveryState is the state, with the attempts where there were several.
func deliveryState(d api.Delivery) string {
	if d.Attempts > 1 || d.State == "waiting" && d.Attempts > 0 {
		return fmt.Sprintf("%s, %d attempts", d.State, d.Attempts)
	}
	return d.State
}

func (a *app) deliveryResend() *cobra.Command {
	var delivery int64
	cmd := &cobra.Command{
		Use: "resend TARGET", Short: "Send failed deliveries to a target again", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			out, err := c.SendAgain(cmd.Context(), args[0], delivery)
			if err != nil {
				return err
			}
			return a.did(out, "Sending %s to %s again. See: rankwarden notification list\n",
				plural(out.Deliveries, "delivery", "deliveries"), args[0])
		},
	}
	cmd.Flags().Int64Var(&delivery, "delivery", 0, "only the delivery of this `number`")
	return cmd
}
