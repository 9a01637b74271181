package main

import (
	"context"
	"errors"
	"time"

	"rankwarden.example/client"
	"rankwarden.example/demo"
)

// people begin to work once the devices have reported, which they are told by closing reported.
func (d *demoRun) people(ctx context.Context, password string, devices int, reported chan<- struct{}) {
	look := time.NewTicker(lookEvery)
	defer look.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-look.C:
		}
		o, err := d.client.Overview(ctx)
		if err != nil || o.Devices < devices || o.OnlineReported < devices*9/10 {
			continue
		}
		close(reported)
		if err := d.startRollouts(ctx, password); err != nil && ctx.Err() == nil {
			d.log.Error("the demo's rollouts could not be started", "error", err)
		}
		return
	}
}

// startRollouts has the people of the demo do what there is to look at: accounts that are left behind, rollouts,
// waivers, an import of too much, passwords that were viewed, warrants.
func (d *demoRun) startRollouts(ctx context.Context, password string) error {
	as := map[string]*client.Client{}
	for _, name := range []string{demo.Author, demo.Deployer, demo.Night, demo.Desk} {
		var err error
		if as[name], err = d.as(ctx, name, password); err != nil {
			return err
		}
	}
	author, deployer := as[demo.Author], as[demo.Deployer]
	return errors.Join(
		demo.LeaveBehind(ctx, d.client, deployer),
		demo.StartRollouts(ctx, author, deployer),
		demo.Waive(ctx, deployer, time.Now()),
		demo.ImportTooMuch(ctx, d.client),
		demo.ViewPasswords(ctx, as[demo.Night], as[demo.Desk]),
		demo.AskWarrants(ctx, time.Now(), as[demo.Night], d.client, deployer),
		demo.SealSheet(ctx, as[demo.Night]),
	)
}
