package main

import (
	"context"
	"fmt"
	"path/filepath"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

// untilReported waits until every device has enrolled and every online one has reported back, and prints how the fleet
// stands then.
func (d *demoRun) untilReported(ctx context.Context, devices int) error {
	began := time.Now()
	ctx, cancel := context.WithTimeout(ctx, d.options.Duration("within"))
	defer cancel()
	changed := make(chan struct{}, 1)
	go func() {
		for ctx.Err() == nil {
			_ = d.client.Notices(ctx, func(api.Notice) { // when it breaks off, the regular look goes on
				select {
				case changed <- struct{}{}:
				default:
				}
			})
		}
	}()
	look := time.NewTicker(time.Second)
	defer look.Stop()
	var o api.Overview
	for {
		latest, err := d.client.Overview(ctx)
		if err == nil {
			o = latest
			if o.Devices >= devices && o.AllReported() {
				d.summary(o, time.Since(began))
				return nil
			}
		}
		select {
		case <-ctx.Done():
			if o.Devices > 0 {
				d.summary(o, time.Since(began))
			}
			return d.notReported(o, devices)
		case <-changed:
		case <-look.C:
		}
	}
}

func (d *demoRun) summary(o api.Overview, took time.Duration) {
	t := table.NewWriter()
	t.SetOutputMirror(d.out)
	t.SetStyle(table.StyleLight)
	t.Style().Options.SeparateColumns = false
	t.Style().Options.DrawBorder = false
	t.AppendHeader(table.Row{"Group", "Devices", "In step", "Drifted", "Waiting", "Held", "Silent"})
	columns := []table.ColumnConfig{}
	for i := 2; i <= 7; i++ {
		columns = append(columns, table.ColumnConfig{
			Number:      i,
			Align:       text.AlignRight,
			AlignHeader: text.AlignRight,
			AlignFooter: text.AlignRight,
		})
	}
	t.SetColumnConfigs(columns)
	row := func(name string, s api.Standings) table.Row {
		return table.Row{
			name,
			s.InStep + s.Drifted + s.Waiting + s.Held + s.Silent,
			s.InStep,
			s.Drifted,
			s.Waiting,
			s.Held,
			s.Silent,
		}
	}
	for _, s := range o.Strips {
		t.AppendRow(row(s.Group, s.Standings))
	}
	t.AppendFooter(row("everything", o.Standings))
	t.Style().Format.Header = text.FormatDefault
	t.Style().Format.Footer = text.FormatDefault
	t.Render()
	fmt.Fprintf(
		d.out,
		"\n%d of %d online devices have reported back after %s, and %d are verified.\n",
		o.OnlineReported,
		o.Online,
		took.Round(100*time.Millisecond),
		o.OnlineVerified,
	)
}

// notReported says why not every device has reported back.
func (d *demoRun) notReported(o api.Overview, devices int) error {
	if o.Devices < devices {
		return fmt.Errorf(
			"only %d of %d devices have enrolled within %s; %s shows what they meet, with --log-level info more of it",
			o.Devices,
			devices,
			d.options.Duration("within"),
			filepath.Join(d.options.String("data"), logFile),
		)
	}
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	waiting, err := d.client.Devices(ctx, client.DeviceQuery{Standing: "waiting"}, client.Page{Limit: 10})
	if err != nil {
		return fmt.Errorf("not every online device has reported back within %s", d.options.Duration("within"))
	}
	names := make([]string, len(waiting.Items))
	for i, w := range waiting.Items {
		names[i] = w.Name
	}
	return fmt.Errorf(
		"%d of %d online devices have not reported back within %s: %s",
		o.Online-o.OnlineReported,
		o.Online,
		d.options.Duration("within"),
		strings.Join(names, ", "),
	)
}
