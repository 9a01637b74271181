package main

import (
	"encoding/csv"
	"errors"
	"fmt"
	"maps"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/core/fleet"
)

// supposed is what could be otherwise, as the options of a command say it.
type supposed struct {
	facts, arrive, leaves, operator string
	device, path, user              string
	tags                            []string
}

func (a *app) whatIfCommand() *cobra.Command {
	var s supposed
	cmd := &cobra.Command{
		Use: "what-if [FILE]", Args: cobra.MaximumNArgs(1),
		Short: "Say what would become of the fleet if devices moved or came, or somebody left",
		Long: "Say what would become of the fleet if facts of devices were others, devices came, or somebody left\n" +
			"the directory: who gains and loses access, where nobody could get in, and which passwords the person\n" +
			"saw that are still the right ones. Nothing is altered. With a scenario file no service is needed.\n\n" +
			"--facts reads a CSV file as \"rankwarden device facts\" does, --arrive one with the columns device,\n" +
			"platform, os_version, os_build, model, serial, path, tags, primary_user and user_groups (tags and\n" +
			"groups separated by semicolons).",
		Example: "  rankwarden what-if --leaves user:odd.kvale@skerryline.example\n" +
			"  rankwarden what-if --device SKL-WKS-017 --path north/kirkness/desk\n" +
			"  rankwarden what-if --arrive new-desks.csv",
		RunE: func(cmd *cobra.Command, args []string) error {
			w, err := s.read(cmd)
			if err != nil {
				return unusable{err}
			}
			if len(args) == 1 {
				return a.whatIfOffline(args[0], w)
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			then, err := c.WhatIf(cmd.Context(), w)
			if err != nil {
				return err
			}
			return a.one(then, func() error { a.whatThen(then); return nil })
		},
	}
	f := cmd.Flags()
	f.StringVar(&s.facts, "facts", "", "`file` with other facts of devices")
	f.StringVar(&s.device, "device", "", "this `device` has another path, tags or primary user")
	f.StringVar(&s.path, "path", "", "its `path`")
	f.StringSliceVar(&s.tags, "tag", nil, "its `tag`; may be repeated")
	f.StringVar(&s.user, "primary-user", "", "`name` of who mostly works there")
	f.StringVar(&s.arrive, "arrive", "", "`file` with devices that come")
	f.StringVar(&s.leaves, "leaves", "", "`user:NAME@DOMAIN` who leaves the directory")
	f.StringVar(&s.operator, "operator", "", "the `operator` that the person is, where the name is another one")
	_ = cmd.RegisterFlagCompletionFunc("device", a.completeDevices)
	return cmd
}

// read gives what is supposed as it is asked of the service.
func (s supposed) read(cmd *cobra.Command) (w api.WhatIf, err error) {
	if s.facts != "" {
		file, err := os.Open(s.facts)
		if err != nil {
			return w, err
		}
		defer file.Close()
		if w.Facts, err = readFacts(file); err != nil {
			return w, fmt.Errorf("%s: %w", s.facts, err)
		}
	}
	if s.device != "" {
		f := api.Facts{Device: s.device}
		for name, set := range map[string]func(){
			"path": func() { f.Path = &s.path }, "tag": func() { f.Tags = &s.tags },
			"primary-user": func() { f.PrimaryUser = &s.user },
		} {
			if cmd.Flags().Changed(name) {
				set()
			}
		}
		w.Facts = append(w.Facts, f)
	}
	if s.arrive != "" {
		if w.Arriving, err = readArriving(s.arrive); err != nil {
			return w, fmt.Errorf("%s: %w", s.arrive, err)
		}
	}
	w.Leaving, w.Operator = s.leaves, s.operator
	if len(w.Facts)+len(w.Arriving) == 0 && w.Leaving == "" {
		return w, errors.New("say what would be otherwise: --facts, --device, --arrive or --leaves")
	}
	return w, nil
}

// arriving are the columns of a file with devices that come.
var arriving = map[string]func(d *api.ArrivingDevice, value string) error{
	"device":       func(d *api.ArrivingDevice, v string) error { d.Name = v; return nil },
	"platform":     func(d *api.ArrivingDevice, v string) error { d.Platform = v; return nil },
	"os_version":   func(d *api.ArrivingDevice, v string) error { d.OSVersion = v; return nil },
	"model":        func(d *api.ArrivingDevice, v string) error { d.Model = v; return nil },
	"serial":       func(d *api.ArrivingDevice, v string) error { d.Serial = v; return nil },
	"path":         func(d *api.ArrivingDevice, v string) error { d.Path = v; return nil },
	"primary_user": func(d *api.ArrivingDevice, v string) error { d.PrimaryUser = v; return nil },
	"tags":         func(d *api.ArrivingDevice, v string) error { d.Tags = parted(v); return nil },
	"user_groups": func(d *api.ArrivingDevice, v string) error {
		d.UserGroups = parted(strings.ToLower(v))
		return nil
	},
	"os_build": func(d *api.ArrivingDevice, v string) (err error) {
		if v != "" {
			d.OSBuild, err = strconv.Atoi(v)
		}
		return err
	},
}

// parted are parts between semicolons.
func parted(list string) (parts []string) {
	for part := range strings.SplitSeq(list, ";") {
		if part = strings.TrimSpace(part); part != "" {
			parts = append(parts, part)
		}
	}
	return parts
}

func readArriving(path string) ([]api.ArrivingDevice, error) {
	file, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	rows, err := csv.NewReader(file).ReadAll()
	if err != nil {
		return nil, err
	}
	if len(rows) < 2 || !slices.Contains(rows[0], "device") {
		return nil, errors.New("it needs a head with the column device, and a line for each device")
	}
	var list []api.ArrivingDevice
	for n, row := range rows[1:] {
		var d api.ArrivingDevice
		for i, name := range rows[0] {
			set, known := arriving[name]
			if !known {
				return nil, fmt.Errorf("line 1: there is no column %q", name)
			}
			if err := set(&d, row[i]); err != nil {
				return nil, fmt.Errorf("line %d, column %s: %q is no number", n+2, name, row[i])
			}
		}
		if d.Name == "" {
			return nil, fmt.Errorf("line %d: the device has no name", n+2)
		}
		list = append(list, d)
	}
	return list, nil
}

// whatThen prints what would become of the fleet.
func (a *app) whatThen(t api.WhatThen) {
	if t.Moved != nil {
		a.previewed("Other facts", *t.Moved)
	}
	for _, x := range t.Arriving {
		a.arrival(x)
	}
	if l := t.Leaving; l != nil {
		a.leaving(*l)
	}
	fmt.Fprintln(a.out, "\nNothing was altered.")
}

func (a *app) arrival(x api.Arrival) {
	fmt.Fprintf(a.out, "\n%s: %s\n", plural(len(x.Devices), "device comes", "devices come"), few(x.Devices))
	fmt.Fprintf(a.out, "  Groups by rule: %s\n  Assignments: %s\n  %s", few(x.Groups), few(x.Assignments),
		plural(x.Settings, "setting", "settings"))
	if len(x.Contested) > 0 {
		fmt.Fprintf(a.out, ", contested: %s", few(x.Contested))
	}
	fmt.Fprintln(a.out)
	for _, p := range x.Problems {
		fmt.Fprintf(a.out, "  %s\n", p)
	}
	if !x.WayIn {
		fmt.Fprintln(a.out, "  No way in for emergencies: no account of their own whose password is kept.")
	}
}

// few names the first of a list.
func few(list []string) string {
	const most = 8
	switch {
	case len(list) == 0:
		return "none"
	case len(list) > most:
		return fmt.Sprintf("%s and %d more", strings.Join(list[:most], ", "), len(list)-most)
	}
	return strings.Join(list, ", ")
}

func (a *app) leaving(l api.Leaving) {
	fmt.Fprintf(a.out, "\n%s loses access to %s", l.Person, plural(l.Devices, "device", "devices"))
	if l.More {
		fmt.Fprint(a.out, " and more")
	}
	fmt.Fprintln(a.out)
	for _, m := range l.Access {
		fmt.Fprintf(a.out, "  %s  %s, %s\n", m.Device, m.LocalGroup, m.How)
	}
	if len(l.NoWayIn) > 0 {
		fmt.Fprintf(a.out, "Nobody else can get in as an administrator: %s\n", few(l.NoWayIn))
	}
	if len(l.Policies) > 0 {
		fmt.Fprintf(a.out, "Policies that name the person: %s\n", few(l.Policies))
	}
	if l.Operator == "" { // without a service nobody knows
		return
	}
	if len(l.Passwords) == 0 {
		fmt.Fprintf(a.out, "The operator %s saw no password that is still the right one.\n", l.Operator)
		return
	}
	fmt.Fprintf(a.out, "The operator %s saw %s still the right one. To change them:\n", l.Operator,
		plural(len(l.Passwords), "password that is", "passwords that are"))
	by := map[string][]string{}
	for _, p := range l.Passwords {
		by[p.Account] = append(by[p.Account], p.Device)
	}
	for _, account := range slices.Sorted(maps.Keys(by)) {
		fmt.Fprintf(a.out, "  rankwarden order send rotate --account %s %s\n", account, strings.Join(by[account], " "))
	}
}

// factsOf are those of devices that come, as rules read them.
func factsOf(list []api.ArrivingDevice) []fleet.Facts {
	facts := make([]fleet.Facts, len(list))
	for i, d := range list {
		facts[i] = fleet.Facts(d)
	}
	return facts
}
