package main

import (
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/spf13/cobra"

	"rankwarden.example/internal/agent"
	"rankwarden.example/internal/agent/host/hosttest"
)

// hostCheck runs what every host must do against a workstation.
func hostCheck(f *flags) *cobra.Command {
	var throwAway bool
	cmd := &cobra.Command{
		Use: "host-check", Short: "Check that the agent can do its work on this workstation", Args: cobra.NoArgs,
		Long: "Check that the agent can do its work on this workstation: it makes accounts, gives wrong passwords, " +
			"changes rules, and puts everything back. Run it only on a machine that may be thrown away.",
		RunE: func(cmd *cobra.Command, _ []string) (err error) {
			if f.host == hostThis && !throwAway {
				return errors.New(
					"host-check creates and locks accounts of this machine; run it with --throw-away on one that may " +
						"be thrown away",
				)
			}
			m, err := open(cmd.Context(), *f, false)
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, m.close()) }()
			return report(cmd, m, f.state)
		},
	}
	cmd.Flags().BoolVar(&throwAway, "throw-away", false, "this machine may be thrown away")
	return cmd
}

// report runs every check, and writes a line for each.
func report(cmd *cobra.Command, m machine, dir string) error {
	out := cmd.OutOrStdout()
	facts, err := m.host.Facts(cmd.Context())
	if err != nil {
		return err
	}
	fmt.Fprintf(out, "%s: %s %s\n\n", facts.Name, facts.Platform, facts.OSVersion)
	limits, err := m.host.Limits(cmd.Context())
	if err != nil {
		return err
	}
	bench := m.bench(func() error { _, err := agent.Alone(dir); return err })
	failed, checks := 0, slices.Concat(hosttest.Checks(), hosttest.DeedChecks(bench.Deeds),
		hosttest.HiddenChecks(bench.Hidden))
	for _, check := range checks {
		begun := time.Now()
		err := check.Run(cmd.Context(), bench)
		took := time.Since(begun).Round(time.Millisecond)
		if cmd.Context().Err() != nil {
			return fmt.Errorf("stopped; what the checks made may be left behind: %w", cmd.Context().Err())
		}
		if err != nil {
			failed++
			fmt.Fprintf(out, "FAILS  it %s (%s)\n         %v\n", check.Name, took, err)
			continue
		}
		fmt.Fprintf(out, "holds  it %s (%s)\n", check.Name, took)
	}
	if len(limits) > 0 {
		fmt.Fprintln(out, "\nNot supported on this device:")
		for _, l := range limits {
			what := l.Setting.String()
			if l.Setting.IsZero() {
				what = l.Family.String()
			}
			fmt.Fprintf(out, "  %-44s it %s\n", what, l.Why)
		}
	}
	fmt.Fprintf(out, "\n%d of %d hold.\n", len(checks)-failed, len(checks))
	if failed > 0 {
		return fmt.Errorf("%d of %d checks fail", failed, len(checks))
	}
	return nil
}
