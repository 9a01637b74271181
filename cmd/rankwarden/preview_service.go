package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"slices"

	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/preview"
)

// isChange reports whether an argument names a change of the service, and no file.
func isChange(arg string) bool {
	_, err := os.Stat(arg)
	return errors.Is(err, fs.ErrNotExist) && policy.ValidName(arg)
}

// previewOfService prints the preview of a change of the service.
func (a *app) previewOfService(cmd *cobra.Command, name, device string) error {
	c, err := a.connect()
	if err != nil {
		return err
	}
	x, err := c.Change(cmd.Context(), name)
	if err != nil {
		return err
	}
	p, err := c.PreviewChange(cmd.Context(), name)
	if err != nil {
		return err
	}
	if a.output == "table" && device == "" {
		a.previewed(x.Name+": "+plural(len(x.Edits), "edit", "edits"), p)
	} else {
		err = a.previewDevices(cmd, c, name, device, p)
	}
	if err == nil && p.TakesAway {
		err = errNo
	}
	return err
}

func (a *app) previewDevices(cmd *cobra.Command, c *client.Client, name, device string, p api.Preview) error {
	items, err := client.All(0, func(p client.Page) (client.List[api.AffectedDevice], error) {
		return c.PreviewDevices(cmd.Context(), name, p)
	})
	if err != nil {
		return err
	}
	switch a.output {
	case "json":
		return a.previewDocument(p, items)
	case "csv":
		return list(a, effectRows(items), "", effectColumns...)
	}
	return a.previewOf(items, device, func() error {
		_, err := c.Device(cmd.Context(), device)
		return err
	})
}

// previewDocument prints the same document as a preview without a service.
func (a *app) previewDocument(p api.Preview, items []api.AffectedDevice) error {
	type sum struct {
		Effect  string `json:"effect"`
		Unit    string `json:"unit"`
		Subject string `json:"subject"`
		Devices int    `json:"devices"`
	}
	sums := []sum{}
	for _, s := range p.Sums {
		sums = append(sums, sum{s.Effect, s.Unit, s.Subject, s.Devices})
	}
	slices.SortFunc(sums, func(x, y sum) int {
		return slices.Compare([]string{x.Effect, x.Unit, x.Subject}, []string{y.Effect, y.Unit, y.Subject})
	})
	affected := make([]json.RawMessage, len(items))
	for i, d := range items {
		type setting struct {
			Unit      string `json:"unit"`
			Before    any    `json:"before"`
			After     any    `json:"after"`
			Supported bool   `json:"supported"`
		}
		type one struct {
			Unit    string `json:"unit"`
			Effect  string `json:"effect"`
			Subject string `json:"subject"`
			Before  any    `json:"before"`
			After   any    `json:"after"`
		}
		settings, effects := []setting{}, []one{}
		for _, s := range d.Settings {
			settings = append(settings, setting{s.Unit, s.Before, s.After, s.Supported})
		}
		for _, e := range d.Effects {
			effects = append(effects, one{e.Unit, e.Effect, e.Subject, e.Before, e.After})
		}
		data, err := json.Marshal(struct {
			Device   string    `json:"device"`
			Reported bool      `json:"reported"`
			Settings []setting `json:"settings"`
			Effects  []one     `json:"effects"`
		}{d.Device, d.Reported, settings, effects})
		if err != nil {
			return fmt.Errorf("writing the preview: %w", err)
		}
		affected[i] = data
	}
	return a.data(struct {
		Format   string            `json:"format"`
		Devices  int               `json:"devices"`
		Sums     []sum             `json:"sums"`
		Affected []json.RawMessage `json:"affected"`
	}{preview.Format, p.Devices, sums, affected})
}
