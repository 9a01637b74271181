package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"
	"go.yaml.in/yaml/v3"
	"golang.org/x/term"
)

// app is what all commands share.
type app struct {
	server string
	output string
	out    io.Writer
	width  int // of the terminal in characters, 0 when the output is none
	colour bool
	now    time.Time
}

var outputs = []string{"table", "json", "yaml", "csv"}

// ownOutputs annotates a command that has other outputs than most.
const ownOutputs = "outputs"

func (a *app) prepare(cmd *cobra.Command) error {
	a.out, a.now = cmd.OutOrStdout(), time.Now()
	possible := outputs
	if own, ok := cmd.Annotations[ownOutputs]; ok {
		possible = strings.Fields(own)
	}
	if !slices.Contains(possible, a.output) {
		return unusable{fmt.Errorf("--output %q must be one of %s", a.output, strings.Join(possible, ", "))}
	}
	if f, ok := a.out.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		a.width, _, _ = term.GetSize(int(f.Fd())) // 0 is no limit
		a.colour = os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb"
	}
	if a.colour {
		text.EnableColors()
	} else {
		text.DisableColors()
	}
	return nil
}

// one prints one thing: as data, or for a reader.
func (a *app) one(value any, readable func() error) error {
	switch a.output {
	case "table":
		return readable()
	case "csv":
		return unusable{errors.New("csv is for lists; use json, yaml or table here")}
	}
	return a.data(value)
}

func (a *app) data(value any) error {
	encoded, err := json.MarshalIndent(value, "", "  ")
	if err != nil {
		return fmt.Errorf("writing the output: %w", err)
	}
	if a.output == "yaml" {
		var plain any
		if err := json.Unmarshal(encoded, &plain); err != nil {
			return fmt.Errorf("writing the output: %w", err)
		}
		if encoded, err = yaml.Marshal(plain); err != nil {
			return fmt.Errorf("writing the output: %w", err)
		}
		_, err = a.out.Write(encoded)
		return err
	}
	_, err = fmt.Fprintf(a.out, "%s\n", encoded)
	return err
}

// column is one column of a list.
type column[T any] struct {
	title string
	right bool // numbers
	wrap  int  // share of what is left of the width, 0 for as wide as it needs
	value func(T) string
	paint func(T) text.Colors // only on a terminal
}

// list prints a list; none is what a reader is told when it is empty.
func list[T any](a *app, items []T, none string, columns ...column[T]) error {
	switch a.output {
	case "json", "yaml":
		if items == nil {
			items = []T{}
		}
		return a.data(items)
	case "table":
		if len(items) == 0 {
			_, err := fmt.Fprintln(a.out, none)
			return err
		}
	}
	t := a.table()
	header := table.Row{}
	for _, c := range columns {
		header = append(header, c.title)
	}
	t.AppendHeader(header)
	for _, item := range items {
		row := table.Row{}
		for _, c := range columns {
			value := c.value(item)
			if c.paint != nil && a.output == "table" {
				value = c.paint(item).Sprint(value)
			}
			row = append(row, value)
		}
		t.AppendRow(row)
	}
	if a.output == "csv" {
		t.RenderCSV()
		return nil
	}
	t.SetColumnConfigs(layout(a, items, columns))
	t.Render()
	return nil
}

func (a *app) table() table.Writer {
	t := table.NewWriter()
	t.SetOutputMirror(a.out)
	style := table.StyleLight
	style.Options = table.Options{SeparateHeader: true}
	style.Format.Header = text.FormatDefault
	style.Color.Header = text.Colors{text.Bold}
	t.SetStyle(style)
	return t
}

// layout shares the width of the terminal out among the columns that wrap.
func layout[T any](a *app, items []T, columns []column[T]) []table.ColumnConfig {
	left, shares := a.width, 0
	for _, c := range columns {
		if shares += c.wrap; c.wrap == 0 {
			widest := text.StringWidth(c.title)
			for _, item := range items {
				widest = max(widest, text.StringWidth(c.value(item)))
			}
			left -= widest
		}
		left -= 2 // padding
	}
	configs := make([]table.ColumnConfig, len(columns))
	for i, c := range columns {
		configs[i] = table.ColumnConfig{Number: i + 1}
		if c.right {
			configs[i].Align, configs[i].AlignHeader = text.AlignRight, text.AlignRight
		}
		if a.width > 0 && c.wrap > 0 {
			const narrowest = 12
			configs[i].WidthMax, configs[i].WidthMaxEnforcer = max(narrowest, left*c.wrap/shares), text.WrapSoft
		}
	}
	return configs
}

// when writes a time as a reader wants it: how long ago or in how long, and beyond a day the date.
func (a *app) when(t time.Time) string {
	d := a.now.Sub(t)
	switch {
	case d < -24*time.Hour, d > 24*time.Hour:
		return t.Local().Format("2006-01-02 15:04")
	case d < 0:
		return "in " + span(-d)
	case d < 5*time.Second:
		return "just now"
	}
	return span(d) + " ago"
}

func (a *app) whenever(t *time.Time) string {
	if t == nil {
		return "never"
	}
	return a.when(*t)
}

func span(d time.Duration) string {
	switch {
	case d < 2*time.Minute:
		return fmt.Sprintf("%d s", int(d.Seconds()))
	case d < 2*time.Hour:
		return fmt.Sprintf("%d min", int(d.Minutes()))
	}
	return fmt.Sprintf("%d h", int(d.Hours()))
}

// mark is the glyph and word of a standing; colour is never the only sign.
func mark(standing string) string {
	glyph := map[string]string{"in_step": "●", "drifted": "◆", "waiting": "◔", "held": "▮▮", "silent": "○"}[standing]
	return glyph + " " + strings.ReplaceAll(standing, "_", " ")
}

func paint(standing string) text.Colors {
	return map[string]text.Colors{"in_step": {text.FgGreen}, "drifted": {text.FgRed}, "waiting": {text.FgBlue},
		"held": {text.FgMagenta}, "silent": {text.FgHiBlack}}[standing]
}
