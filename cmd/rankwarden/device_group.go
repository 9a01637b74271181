package main

import (
	"context"
	"fmt"
	"slices"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

// showGroup shows devices of a group, with the units that are not as asked.
func (a *app) showGroup(ctx context.Context, c *client.Client, group string, most int) error {
	wanted := most
	if most > 0 {
		wanted++ // to know whether there are more
	}
	devices, err := atMost(wanted, func(p client.Page) (client.List[api.Device], error) {
		return c.Devices(ctx, client.DeviceQuery{Group: group}, p)
	})
	if err != nil {
		return err
	}
	if most > 0 && len(devices) > most {
		devices = devices[:most]
		a.notice("The first %d; --most 0 shows all.\n\n", most)
	}
	shown := []api.DeviceWhy{}
	for _, d := range devices {
		w, err := c.Why(ctx, d.ID)
		if err != nil {
			return err
		}
		if a.output == "csv" || a.output == "table" {
			w.Units = slices.DeleteFunc(w.Units, func(u api.UnitWhy) bool { return u.InStep })
		}
		shown = append(shown, w)
	}
	if a.output == "csv" {
		return a.unitsOfMany(shown)
	}
	return a.one(shown, func() error {
		for _, w := range shown {
			a.deviceHead(w)
			if len(w.Units) == 0 {
				fmt.Fprint(a.out, "    no differences\n\n")
				continue
			}
			if err := a.units(w); err != nil {
				return err
			}
			fmt.Fprintln(a.out)
		}
		return nil
	})
}

// unitOf is a unit of a device, as a row.
type unitOf struct {
	device string
	api.UnitWhy
}

// unitsOfMany prints the settings of several devices in one table, with the devices beside each other.
func (a *app) unitsOfMany(shown []api.DeviceWhy) error {
	rows := []unitOf{}
	for _, w := range shown {
		for _, u := range w.Units {
			rows = append(rows, unitOf{w.Device.Name, u})
		}
	}
	return list(a, rows, "No differences.",
		column[unitOf]{title: "Device", value: func(u unitOf) string { return u.device }},
		column[unitOf]{title: "Setting", value: func(u unitOf) string { return u.Title }},
		column[unitOf]{title: "Desired", value: func(u unitOf) string { return u.Desired }},
		column[unitOf]{title: "Reported", value: func(u unitOf) string { return u.Reported }},
		column[unitOf]{title: "Decided by", value: func(u unitOf) string { return u.DecidedBy }})
}
