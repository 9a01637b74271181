package main

import (
	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/drift"
)

func (a *app) eventsCommand() *cobra.Command {
	var q client.EventQuery
	var most int
	var past pastFlags
	cmd := &cobra.Command{
		Use: "events", Short: "List events on devices, latest first", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			var err error
			if q.Since, q.Until, err = past.times(a.now); err != nil {
				return err
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := atMost(
				most,
				func(p client.Page) (client.List[api.Event], error) { return c.Events(cmd.Context(), q, p) },
			)
			if err != nil {
				return err
			}
			return list(a, items, "No event matches.",
				column[api.Event]{title: "When", value: func(e api.Event) string { return a.when(e.At) }},
				column[api.Event]{title: "Device", value: func(e api.Event) string { return e.Device }},
				column[api.Event]{title: "Kind", value: func(e api.Event) string { return e.Kind }},
				column[api.Event]{title: "Event", wrap: 1, value: func(e api.Event) string { return e.Words }})
		},
	}
	f := cmd.Flags()
	f.StringVar(&q.Device, "device", "", "only on this `device`")
	f.StringVar(&q.Kind, "kind", "", "only this `kind`, such as member_removed")
	f.StringVar(&q.Group, "group", "", "only on devices in this `group`")
	past.add(cmd)
	f.IntVar(&most, "most", 100, "list at most this `number`; 0 for all")
	kinds := make([]string, len(drift.EventKinds))
	for i, k := range drift.EventKinds {
		kinds[i] = string(k)
	}
	_ = cmd.RegisterFlagCompletionFunc("kind", cobra.FixedCompletions(kinds, cobra.ShellCompDirectiveNoFileComp))
	_ = cmd.RegisterFlagCompletionFunc("device", a.completeDevices)
	_ = cmd.RegisterFlagCompletionFunc("group", a.completeGroups)
	return ofList(cmd)
}
