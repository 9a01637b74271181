package main

import (
	"bytes"
	"encoding/json"
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

	"rankwarden.example/client"
)

// app is what all commands share.
type app struct {
	server string
	output string
	json   bool // short for --output json
	out    io.Writer
	err    io.Writer // for notices beside the output
	width  int       // of the terminal in characters, 0 when the output is none
	colour bool
	now    time.Time
	door   door

	passwordStdin bool // a decision reads the password from standard input
}

// Outputs of a command. They are checked before it does anything.
const (
	outputsOfList = "table json yaml csv"
	outputsOfOne  = "table json yaml"
)

// ownOutputs annotates a command that has other outputs than those of one thing.
const ownOutputs = "outputs"

// ofList marks a command whose output is a list.
func ofList(cmd *cobra.Command) *cobra.Command {
	if cmd.Annotations == nil {
		cmd.Annotations = map[string]string{}
	}
	cmd.Annotations[ownOutputs] = outputsOfList
	return cmd
}

// prepare reads the flags that all commands have, and finds out whether the output is a terminal: only there are
// tables cut to its width and coloured.
func (a *app) prepare(cmd *cobra.Command) error {
	a.out, a.err, a.now = cmd.OutOrStdout(), cmd.ErrOrStderr(), time.Now()
	if a.json {
		if cmd.Flags().Changed("output") && a.output != "json" {
			return unusable{fmt.Errorf("--json and --output %s contradict each other; use one", a.output)}
		}
		a.output = "json"
	}
	possible := strings.Fields(outputsOfOne)
	if own, ok := cmd.Annotations[ownOutputs]; ok {
		possible = strings.Fields(own)
	}
	if !slices.Contains(possible, a.output) {
		hint := ""
		if a.output == "csv" {
			hint = "; csv is for lists"
		}
		return unusable{fmt.Errorf("--output %q must be one of %s%s", a.output, strings.Join(possible, ", "), hint)}
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
	if a.output == "table" {
		return readable()
	}
	return a.data(value)
}

// did says that something was done: in a sentence, or as data.
func (a *app) did(value any, format string, args ...any) error {
	return a.one(value, func() error {
		_, err := fmt.Fprintf(a.out, format, args...)
		return err
	})
}

// done is the data of an operation that gives nothing back.
type done struct {
	Done string `json:"done"` // what was done
	Name string `json:"name"` // to what
}

// notice tells a reader something beside the output, so that the output can go into a file.
func (a *app) notice(format string, args ...any) { fmt.Fprintf(a.err, format, args...) }

// data prints a value as JSON or YAML. YAML goes through JSON, so that both have the same keys.
func (a *app) data(value any) error {
	var buffer bytes.Buffer
	encoder := json.NewEncoder(&buffer)
	encoder.SetEscapeHTML(false) // a password is printed as it is
	encoder.SetIndent("", "  ")
	if err := encoder.Encode(value); err != nil {
		return fmt.Errorf("writing the output: %w", err)
	}
	encoded := bytes.TrimSuffix(buffer.Bytes(), []byte("\n"))
	var err error
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

// atMost reads a list page by page up to most entries, 0 for all.
func atMost[T any](most int, read func(p client.Page) (client.List[T], error)) ([]T, error) {
	items, err := client.All(most, read)
	if most > 0 && len(items) > most {
		items = items[:most]
	}
	return items, err
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

// when writes a time as a reader wants it: how long ago or in how long, and beyond a day the date. In a
// file it is ISO 8601 in UTC.
func (a *app) when(t time.Time) string {
	if a.output == "csv" {
		return t.UTC().Format(time.RFC3339)
	}
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
	if t == nil && a.output == "csv" {
		return ""
	}
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

// standing is a standing as the output wants it: with its glyph for a reader, the bare word in a file.
func (a *app) standing(standing string) string {
	if a.output == "csv" {
		return standing
	}
	return mark(standing)
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
