package main

import (
	"context"
	"errors"
	"time"

	"rankwarden.example/client"
	"rankwarden.example/demo"
)

// rollouts takes two changes out, waives a finding and writes a rule that waits, once the devices are in.
func (d *demoRun) rollouts(ctx context.Context, password string, devices int) {
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
		if err := d.startRollouts(ctx, password); err != nil && ctx.Err() == nil {
			d.log.Error("the demo's rollouts could not be started", "error", err)
		}
		return
	}
}

// startRollouts has the people of the demo do what there is to look at: rollouts, waivers, an import of too much,
// passwords that were viewed.
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
		demo.StartRollouts(ctx, author, deployer),
		demo.Waive(ctx, deployer, time.Now()),
		demo.ImportTooMuch(ctx, d.client),
		demo.ViewPasswords(ctx, as[demo.Night], as[demo.Desk]),
	)
}
