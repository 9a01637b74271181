package demo

import (
	"context"
	"errors"
	"time"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

// ChartAccount is the account of a former supplier of charts on the bridge consoles: a policy managed it until the
// contract ended, and none does any more.
const ChartAccount = "chart-updates"

const (
	chartPolicy = "format: rankwarden.policy/1\nname: chart-updates\ntitle: Chart updates by the supplier\n" +
		"accounts: [{key: charts, name: " + ChartAccount + ", full_name: Chart updates}]\n"
	chartGroup = "bridge-consoles"
	chartLooks = 60 // at most so many, a second apart, until the devices have the account
)

// LeaveBehind has a policy manage an account of a supplier, and withdraws it when the devices have it. It is done once.
func LeaveBehind(ctx context.Context, owner, deployer *client.Client) error {
	l := loading{owner, deployer}
	_, err := owner.Policy(ctx, ChartAccount)
	var p *client.Problem
	if !errors.As(err, &p) {
		return err // it was done, or cannot be known
	}
	if err := l.policy(ctx, chartPolicy); err != nil {
		return err
	}
	_, err = owner.CreateAssignment(ctx, ChartAccount,
		api.Aim{Policy: ChartAccount, Include: []string{chartGroup}, Rank: 450})
	if err := l.agreed(ctx, err); err != nil {
		return err
	}
	if err := untilManaged(ctx, owner); err != nil {
		return err
	}
	a, err := owner.Assignment(ctx, ChartAccount)
	if err != nil {
		return err
	}
	return l.agreed(ctx, owner.DeleteAssignment(ctx, a.Name, a.Version))
}

// untilManaged waits until nearly every device of the group has the account.
func untilManaged(ctx context.Context, owner *client.Client) error {
	group, err := owner.GroupDevices(ctx, chartGroup, client.Page{Limit: 500})
	if err != nil {
		return err
	}
	look := time.NewTicker(time.Second)
	defer look.Stop()
	for range chartLooks {
		found, err := owner.Accounts(ctx, client.AccountQuery{Search: ChartAccount}, client.Page{Limit: 1})
		if err != nil {
			return err
		}
		if len(found.Items) == 1 && found.Items[0].Managed*10 >= len(group.Items)*9 {
			return nil
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-look.C:
		}
	}
	return nil // a device that comes later never makes the account
}
