package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/internal/kit/atomicfile"
	"rankwarden.example/internal/wire/audit"
)

func (a *app) trailCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "trail", Short: "The audit trail: who did what, export, and proof that nobody altered it",
		Long: "The audit trail: what operators, devices and the service did, and what was refused. Each entry holds\n" +
			"the hash of the one before. Signed checkpoints say how far it went; kept elsewhere, they prove that\n" +
			"nobody wrote it anew.",
	}
	cmd.AddCommand(
		a.trailList(),
		a.trailShow(),
		a.trailExport(),
		a.trailCheckpoint(),
		a.trailCheckpoints(),
		a.trailVerify(),
	)
	return cmd
}

// trailFlags narrow the trail.
type trailFlags struct {
	client.TrailQuery
	past pastFlags
}

func (f *trailFlags) add(a *app, cmd *cobra.Command) {
	flags := cmd.Flags()
	flags.StringVar(&f.Actor, "actor", "", "only what this `operator` did, or service, strangers, device:ID")
	flags.StringVar(
		&f.Action,
		"action",
		"",
		"only this `action`, such as policy.published, or a family, such as policy",
	)
	flags.StringVar(&f.On, "on", "", "only what was done to the `thing` of this name")
	flags.StringVar(&f.Device, "device", "", "only what was done to this `device`, and what it did")
	flags.StringVar(&f.Outcome, "outcome", "", "only what was `done` or refused")
	f.past.add(cmd)
	_ = cmd.RegisterFlagCompletionFunc("device", a.completeDevices)
	outcomes := cobra.FixedCompletions(
		[]string{string(audit.Done), string(audit.Refused)},
		cobra.ShellCompDirectiveNoFileComp,
	)
	_ = cmd.RegisterFlagCompletionFunc("outcome", outcomes)
}

// read takes in the times.
func (f *trailFlags) read(a *app) (err error) {
	f.Since, f.Until, err = f.past.times(a.now)
	return err
}

func (a *app) trailList() *cobra.Command {
	var f trailFlags
	var most int
	cmd := &cobra.Command{
		Use: "list", Short: "List what was done and refused, latest first", Args: cobra.NoArgs,
		Example: "  rankwarden trail list --action password --since 7d\n  rankwarden trail list --outcome refused",
		RunE: func(cmd *cobra.Command, _ []string) error {
			if err := f.read(a); err != nil {
				return err
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := atMost(most, func(p client.Page) (client.List[api.TrailEntry], error) {
				return c.Trail(cmd.Context(), f.TrailQuery, p)
			})
			if err != nil {
				return err
			}
			type row = api.TrailEntry
			return list(
				a,
				items,
				"No entry matches.",
				column[row]{
					title: "Entry",
					right: true,
					value: func(e row) string { return strconv.FormatInt(e.Seq, 10) },
				},
				column[row]{title: "When", value: func(e row) string { return a.when(e.At) }},
				column[row]{title: "Who", value: func(e row) string { return trailActor(e) }},
				column[row]{title: "Action", value: func(e row) string { return e.Action }},
				column[row]{title: "On", wrap: 1, value: func(e row) string { return trailObject(e) }},
				column[row]{title: "Outcome", value: func(e row) string { return a.outcome(e.Outcome) }},
				column[row]{title: "Reason", wrap: 1, value: func(e row) string { return e.Reason }},
			)
		},
	}
	f.add(a, cmd)
	cmd.Flags().IntVar(&most, "most", 100, "list at most this `number`; 0 for all")
	return ofList(cmd)
}

// trailActor is who did something, a device by its name.
func trailActor(e api.TrailEntry) string {
	if e.Device != "" && strings.HasPrefix(e.Actor, "device:") {
		return e.Device
	}
	return e.Actor
}

// trailObject is what something was done to, a device by its name.
func trailObject(e api.TrailEntry) string {
	if e.Device != "" &&
		(e.Object == strings.TrimPrefix(e.Actor, "device:") || !strings.HasPrefix(e.Actor, "device:")) {
		return e.Device
	}
	return e.Object
}

func (a *app) outcome(outcome string) string {
	if outcome == string(audit.Refused) && a.output == "table" {
		return text.FgRed.Sprint(outcome)
	}
	return outcome
}

func (a *app) trailShow() *cobra.Command {
	return &cobra.Command{
		Use: "show ENTRY", Short: "Show an entry, with what was before and what was after", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			seq, err := strconv.ParseInt(args[0], 10, 64)
			if err != nil {
				return unusable{fmt.Errorf("%q is no number of an entry; rankwarden trail list shows them", args[0])}
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			e, err := c.TrailEntry(cmd.Context(), seq)
			if err != nil {
				return err
			}
			return a.one(e, func() error { return a.showEntry(e) })
		},
	}
}

func (a *app) showEntry(e api.TrailEntry) error {
	from := ""
	if e.Address != "" {
		from = " from " + e.Address
	}
	fmt.Fprintf(
		a.out,
		"Entry %d: %s %s %s (%s)\n",
		e.Seq,
		trailActor(e),
		e.Action,
		trailObject(e),
		a.outcome(e.Outcome),
	)
	fmt.Fprintf(a.out, "  %s%s\n", e.At.Local().Format("2006-01-02 15:04:05"), from)
	if e.Reason != "" {
		fmt.Fprintf(a.out, "  Reason: %s\n", e.Reason)
	}
	fmt.Fprintf(a.out, "  Hash: %s\n", e.Hash)
	if len(e.Differences) == 0 {
		return nil
	}
	fmt.Fprintln(a.out)
	type row = api.TrailDifference
	return list(a, e.Differences, "",
		column[row]{title: "What", wrap: 1, value: func(d row) string { return d.Path }},
		column[row]{title: "Before", wrap: 1, value: func(d row) string { return plainJSON(d.Before) }},
		column[row]{title: "After", wrap: 1, value: func(d row) string { return plainJSON(d.After) }})
}

// plainJSON is a value as people write it: a text without its quotes.
func plainJSON(raw json.RawMessage) string {
	var s string
	if json.Unmarshal(raw, &s) == nil {
		return s
	}
	return string(raw)
}

func (a *app) trailExport() *cobra.Command {
	var f trailFlags
	var format, to string
	cmd := &cobra.Command{
		Use: "export", Short: "Export the trail in order, with its checkpoints", Args: cobra.NoArgs,
		Long: "Export the trail in order. As jsonl, whole, it can be proved: see rankwarden trail verify. What is\n" +
			"narrowed by a flag leaves entries out, and is for reading. csv is for spreadsheets.",
		Example: "  rankwarden trail export --to trail.jsonl\n  rankwarden trail export --format csv --since 30d " +
			"--to month.csv",
		RunE: func(cmd *cobra.Command, _ []string) (err error) {
			if err := f.read(a); err != nil {
				return err
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			export, err := c.ExportTrail(cmd.Context(), format, f.TrailQuery)
			if err != nil {
				return err
			}
			defer export.Close()
			if to == "" {
				_, err = io.Copy(a.out, export)
				return err
			}
			n, err := writeExport(to, export)
			if err != nil {
				return fmt.Errorf("writing %s: %w; nothing is left of it", to, err)
			}
			a.notice("%d bytes in %s.\n", n, to)
			return nil
		},
	}
	f.add(a, cmd)
	cmd.Flags().StringVar(&format, "format", "jsonl", "`jsonl` or csv")
	cmd.Flags().StringVar(&to, "to", "", "`file` to write; it is written whole or not at all")
	cmd.Annotations = map[string]string{ownOutputs: "table"}
	return cmd
}

// writeExport writes a file whole or not at all; nobody else reads it.
func writeExport(to string, export io.Reader) (n int64, err error) {
	f, err := os.CreateTemp(filepath.Dir(to), ".export-*")
	if err != nil {
		return 0, err
	}
	n, err = io.Copy(f, export)
	if err = errors.Join(err, f.Sync(), f.Close()); err == nil {
		err = os.Rename(f.Name(), to)
	}
	if err != nil {
		err = errors.Join(err, os.Remove(f.Name()))
	}
	return n, err
}

func (a *app) trailCheckpoint() *cobra.Command {
	var to string
	cmd := &cobra.Command{
		Use: "checkpoint", Short: "Sign how far the trail goes now", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			made, err := c.MakeCheckpoint(cmd.Context())
			if err != nil {
				return err
			}
			if to != "" {
				if err := writeProofs(to, []api.Checkpoint{made}); err != nil {
					return err
				}
			}
			return a.did(made, "The trail up to entry %d is signed.\n", made.Seq)
		},
	}
	cmd.Flags().StringVar(&to, "to", "", "also write it to this `file`")
	return cmd
}

func (a *app) trailCheckpoints() *cobra.Command {
	var most int
	var to string
	cmd := &cobra.Command{
		Use: "checkpoints", Short: "List checkpoints, latest first", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := atMost(most, func(p client.Page) (client.List[api.Checkpoint], error) {
				return c.Checkpoints(cmd.Context(), p)
			})
			if err != nil {
				return err
			}
			if to != "" {
				return writeProofs(to, items)
			}
			type row = api.Checkpoint
			return list(
				a,
				items,
				"No checkpoint yet: the first comes within the hour.",
				column[row]{
					title: "Up to entry",
					right: true,
					value: func(p row) string { return strconv.FormatInt(p.Seq, 10) },
				},
				column[row]{title: "Made", value: func(p row) string { return a.when(p.At) }},
				column[row]{title: "By", value: func(p row) string { return p.MadeBy }},
				column[row]{title: "Hash of that entry", value: func(p row) string { return p.Hash }},
			)
		},
	}
	cmd.Flags().IntVar(&most, "most", 100, "list at most this `number`; 0 for all")
	cmd.Flags().StringVar(&to, "to", "", "write them to this `file` instead, for rankwarden trail verify")
	return ofList(cmd)
}

// writeProofs writes checkpoints as JSON lines, oldest first.
func writeProofs(to string, list []api.Checkpoint) error {
	var data []byte
	for i := len(list) - 1; i >= 0; i-- {
		line, err := json.Marshal(audit.Proof{Checkpoint: list[i].Checkpoint, KeyList: list[i].KeyList})
		if err != nil {
			return err
		}
		data = append(append(data, line...), '\n')
	}
	return atomicfile.Write(to, data, 0o644)
}
