package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/present"
	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/agent/reconcile"
	"rankwarden.example/internal/agent/secret"
	"rankwarden.example/internal/kit/atomicfile"
	"rankwarden.example/internal/wire/protocol"
)

// errFindings is given where something differs: the exit status says so.
var errFindings = errors.New("this machine differs from the policy")

// checkCommand says what policy files would find on this machine.
func checkCommand(f *flags) *cobra.Command {
	return &cobra.Command{
		Use: "check FILE...", Short: "Say what policy files would find on this machine, without a service",
		Args: cobra.MinimumNArgs(1),
		Long: "Say what differs on this machine from policy files, without a service, and change nothing. Of\n" +
			"several files an earlier one outranks a later one. Instead of policies FILE may be a scenario with\n" +
			"one device, which stands for this machine; the command rankwarden settles it, and must be installed.\n\n" +
			"Exit status: 0 nothing differs, 1 something does, or a file cannot be used.",
		RunE: func(cmd *cobra.Command, files []string) error {
			return onMachine(cmd, *f, files, true, func(m machine, asked asked) error {
				state, err := m.host.Read(cmd.Context())
				if err != nil {
					return err
				}
				if state.Limits, err = m.host.Limits(cmd.Context()); err != nil {
					return err
				}
				return asked.findings(cmd.OutOrStdout(), &state, nil)
			})
		},
	}
}

// applyCommand carries policy files out once.
func applyCommand(f *flags) *cobra.Command {
	return &cobra.Command{
		Use: "apply FILE...", Short: "Carry policy files out on this machine once, without a service",
		Args: cobra.MinimumNArgs(1),
		Long: "Carry policy files out on this machine once, without a service, for images, laboratories and trying\n" +
			"a policy. The guard holds: the last usable administrator stays. Passwords are not rotated, since they\n" +
			"could be put into no escrow. What was done is read back. Of several files an earlier one outranks a\n" +
			"later one. A machine whose agent is enrolled is refused.",
		RunE: func(cmd *cobra.Command, files []string) error {
			return onMachine(cmd, *f, files, false, func(m machine, asked asked) error {
				return asked.apply(cmd.Context(), cmd.OutOrStdout(), m, f.state)
			})
		},
	}
}

// onMachine opens the machine for what files come to.
func onMachine(
	cmd *cobra.Command, f flags, files []string, look bool, do func(m machine, asked asked) error,
) (err error) {
	asked, err := settled(cmd.Context(), cmd.ErrOrStderr(), files)
	if err != nil {
		return err
	}
	m, err := open(cmd.Context(), f, look)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, m.close()) }()
	if knows, ok := m.host.(host.KnowsDirectory); ok {
		knows.KnowDirectory(asked.directory)
	}
	return do(m, asked)
}

// findings writes what differs, and is an error where something does.
func (a asked) findings(out io.Writer, state *drift.State, failures []drift.Failure) error {
	found := drift.Check(a.settings, state, failures,
		drift.Context{Now: time.Now(), Directory: principal.NewTable(a.directory)})
	for _, x := range found {
		fmt.Fprintf(out, "%s: %s\n", present.UnitInFull(x.Unit), present.Finding(x))
	}
	if len(found) > 0 {
		return fmt.Errorf("%w: %d findings in %d settings", errFindings, len(found), len(a.settings))
	}
	fmt.Fprintf(out, "Nothing differs in %d settings.\n", len(a.settings))
	return nil
}

// appliedFile keeps which accounts belong to which key, so that a policy that is applied again finds them.
const appliedFile = "applied.json"

// apply carries settings out once, and reads them back.
func (a asked) apply(ctx context.Context, out io.Writer, m machine, dir string) error {
	if _, err := os.Stat(filepath.Join(dir, "agent.json")); err == nil {
		return fmt.Errorf("%s belongs to an enrolled agent, which does what the service asks; use check instead", dir)
	}
	path := filepath.Join(dir, appliedFile)
	bindings := reconcile.Bindings{}
	data, err := os.ReadFile(path)
	if err == nil {
		err = json.Unmarshal(data, &bindings)
	}
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("what was applied before: %w", err)
	}
	outcome, err := reconcile.Run(ctx, m.host, reconcile.Job{
		DesiredContent: protocol.DesiredContent{Settings: a.settings, Directory: a.directory}, Bindings: bindings,
		Random: secret.System, Now: time.Now(),
	})
	if outcome.Bindings != nil {
		data, _ := json.Marshal(outcome.Bindings) // a map of texts can be written
		err = errors.Join(err, atomicfile.Write(path, data, 0o600))
	}
	for _, e := range outcome.Events {
		fmt.Fprintf(out, "done  %s\n", present.Event(e))
	}
	if err != nil {
		return err
	}
	return a.findings(out, &outcome.After, outcome.Failures)
}
