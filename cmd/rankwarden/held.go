package main

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

func (a *app) heldCommand() *cobra.Command {
	var group string
	cmd := &cobra.Command{
		Use:   "held",
		Short: "List held settings, the number of devices, and the assignments that cause it",
		Args:  cobra.NoArgs,
		Long: "List held settings: a device keeps its last desired value until somebody decides.\n\n" +
			"Exit status: 0 no setting is held, 1 some are.",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			held, err := c.HeldSettings(cmd.Context(), group)
			if err != nil {
				return err
			}
			if err := a.heldList(held); err != nil {
				return err
			}
			if len(held) > 0 {
				return errNo
			}
			return nil
		},
	}
	cmd.Flags().StringVar(&group, "group", "", "only on the devices of this `group`")
	_ = cmd.RegisterFlagCompletionFunc("group", a.completeGroups)
	return ofList(cmd)
}

func (a *app) heldList(held []api.HeldSetting) error {
	return list(
		a,
		held,
		"No settings are held.",
		column[api.HeldSetting]{title: "Setting", value: func(h api.HeldSetting) string { return h.UnitTitle }},
		column[api.HeldSetting]{
			title: "Devices",
			right: true,
			value: func(h api.HeldSetting) string { return strconv.Itoa(h.Devices) },
		},
		column[api.HeldSetting]{title: "Example", value: func(h api.HeldSetting) string { return h.Device }},
		column[api.HeldSetting]{
			title: "Between",
			wrap:  1,
			value: func(h api.HeldSetting) string { return strings.Join(h.Between, ", ") },
		},
		column[api.HeldSetting]{
			title: "Cause and solution",
			wrap:  2,
			value: func(h api.HeldSetting) string { return h.Words },
		},
	)
}

// settleWithin is how long an edit waits to be settled before it only says that it is under way.
const settleWithin = 20 * time.Second

// edited does something that takes effect on devices, waits until that is settled, and says what is held
// because of it: an edit that makes devices held is no success.
func (a *app) edited(ctx context.Context, c *client.Client, edit func() error) error {
	before, err := c.HeldSettings(ctx, "")
	if err != nil {
		return err
	}
	if err := edit(); err != nil {
		return err
	}
	limit := time.Now().Add(settleWithin)
	for {
		o, err := c.Overview(ctx)
		if err != nil {
			return err
		}
		if o.Unsettled == 0 {
			break
		}
		if time.Now().After(limit) {
			a.notice("It is still being settled for its devices; see: rankwarden watch\n")
			return nil
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(100 * time.Millisecond):
		}
	}
	after, err := c.HeldSettings(ctx, "")
	if err != nil {
		return err
	}
	for _, h := range newlyHeld(before, after) {
		a.notice(
			"Now held on %s (for example %s): %s, because of %s. %s\n",
			plural(h.Devices, "device", "devices"),
			h.Device,
			h.UnitTitle,
			strings.Join(h.Between, " and "),
			h.Words,
		)
	}
	return nil
}

// newlyHeld are the settings that are held on more devices than before, with how many more.
func newlyHeld(before, after []api.HeldSetting) []api.HeldSetting {
	key := func(h api.HeldSetting) string { return h.Unit + " " + h.Reason }
	was := map[string]int{}
	for _, h := range before {
		was[key(h)] = h.Devices
	}
	var more []api.HeldSetting
	for _, h := range after {
		if h.Devices -= was[key(h)]; h.Devices > 0 {
			more = append(more, h)
		}
	}
	return more
}

func (a *app) lockedCommand() *cobra.Command {
	var group string
	cmd := &cobra.Command{
		Use: "locked", Short: "List accounts that are locked after wrong passwords", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := client.All(0, func(p client.Page) (client.List[api.LockedAccount], error) {
				return c.LockedAccounts(cmd.Context(), group, p)
			})
			if err != nil {
				return err
			}
			return list(
				a,
				items,
				"No account is locked.",
				column[api.LockedAccount]{title: "Device", value: func(l api.LockedAccount) string { return l.Device }},
				column[api.LockedAccount]{title: "Account", value: func(l api.LockedAccount) string { return l.Name }},
				column[api.LockedAccount]{
					title: "Identifier",
					value: func(l api.LockedAccount) string { return l.SID },
				},
				column[api.LockedAccount]{title: "Locked until", value: func(l api.LockedAccount) string {
					if l.LockedUntil == nil {
						return "someone unlocks it"
					}
					return a.when(*l.LockedUntil)
				}},
				column[api.LockedAccount]{title: "To unlock", wrap: 1, value: func(l api.LockedAccount) string {
					return fmt.Sprintf("rankwarden order send unlock %s --account %s", l.Device, "sid:"+l.SID)
				}},
			)
		},
	}
	cmd.Flags().StringVar(&group, "group", "", "only on the devices of this `group`")
	_ = cmd.RegisterFlagCompletionFunc("group", a.completeGroups)
	return ofList(cmd)
}
