package main

import (
	"context"
	"fmt"
	"time"

	"github.com/jedib0t/go-pretty/v6/progress"
	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

func (a *app) keyReseal() *cobra.Command {
	var stop, wait bool
	cmd := &cobra.Command{
		Use: "reseal NUMBER", Short: "Seal the passwords of a retired key to the newest live one",
		Args: cobra.ExactArgs(1),
		Long: "Seal the passwords of a retired key to the newest live one. The service does it in the background;\n" +
			"with --wait its progress is shown until it ends. It can be stopped and begun again.",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, number, err := a.key(args[0])
			if err != nil {
				return err
			}
			if stop {
				if err := c.StopReseal(cmd.Context(), number); err != nil {
					return err
				}
				return a.tellKey(cmd, c, number, "stopped")
			}
			if err := c.ResealEscrowKey(cmd.Context(), number); err != nil {
				return err
			}
			if !wait {
				return a.did(done{"resealing", args[0]}, "Sealing again. See: rankwarden key list\n")
			}
			k, err := a.watchReseal(cmd.Context(), c, number)
			if err != nil {
				return err
			}
			if k.Reseal.Error != "" {
				return fmt.Errorf("sealing again ended before its end: %s", k.Reseal.Error)
			}
			return a.did(k, "%s\n", resealWords(k))
		},
	}
	cmd.Flags().BoolVar(&stop, "stop", false, "stop it; what was sealed again stays so")
	cmd.Flags().BoolVar(&wait, "wait", false, "show progress until it ends")
	cmd.MarkFlagsMutuallyExclusive("stop", "wait")
	return cmd
}

// watchReseal shows progress until sealing again ended.
func (a *app) watchReseal(ctx context.Context, c *client.Client, number int64) (api.EscrowKey, error) {
	tracker := &progress.Tracker{Message: "sealing again"}
	bar := progress.NewWriter()
	bar.SetOutputWriter(a.err)
	bar.SetStyle(progress.StyleBlocks)
	bar.AppendTracker(tracker)
	go bar.Render()
	defer bar.Stop()
	for {
		keys, err := c.EscrowKeys(ctx)
		if err != nil {
			return api.EscrowKey{}, err
		}
		for _, k := range keys {
			if k.Number != number {
				continue
			}
			tracker.UpdateTotal(int64(k.Reseal.Total))
			tracker.SetValue(int64(k.Reseal.Done))
			if k.Reseal.By == "" {
				tracker.MarkAsDone()
				return k, nil
			}
		}
		select {
		case <-ctx.Done():
			return api.EscrowKey{}, ctx.Err()
		case <-time.After(time.Second):
		}
	}
}

func (a *app) keyUnrecovered() *cobra.Command {
	return ofList(&cobra.Command{
		Use: "unrecovered", Short: "List current passwords that no recovery key opens", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := client.All(0, func(p client.Page) (client.List[api.UnrecoveredPassword], error) {
				return c.UnrecoveredPasswords(cmd.Context(), p)
			})
			if err != nil {
				return err
			}
			return list(a, items, "Every current password has a recovery copy.",
				column[api.UnrecoveredPassword]{title: "Device",
					value: func(u api.UnrecoveredPassword) string { return u.Device }},
				column[api.UnrecoveredPassword]{title: "Account",
					value: func(u api.UnrecoveredPassword) string { return u.Account }},
				column[api.UnrecoveredPassword]{title: "Name",
					value: func(u api.UnrecoveredPassword) string { return u.Name }},
				column[api.UnrecoveredPassword]{title: "Changed",
					value: func(u api.UnrecoveredPassword) string { return a.when(u.ChangedAt) }},
			)
		},
	})
}
