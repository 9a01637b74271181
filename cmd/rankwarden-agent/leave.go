package main

import (
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"rankwarden.example/internal/agent"
	"rankwarden.example/internal/agent/journal"
)

// errLeft is given where not everything could be given back.
var errLeft = errors.New("some things could not be given back")

// leaveCommand gives the device back.
func leaveCommand(f *flags) *cobra.Command {
	handOver := false
	cmd := &cobra.Command{
		Use: "leave", Short: "Give this device back: what the agent changed becomes what it was", Args: cobra.NoArgs,
		Long: "Give this device back, with the agent stopped. Memberships by warrant end. Managed accounts are\n" +
			"disabled; with --hand-over they stay, with a last password that the service keeps. Rules for\n" +
			"passwords and for wrong ones, and files of the system, become what they were before the agent, byte\n" +
			"for byte, where nobody else changed them since. Then the agent forgets who the device is. Removing\n" +
			"its package does the same.\n\n" +
			"Exit status: 0 everything was given back, 1 something was not, and is named.",
		RunE: func(cmd *cobra.Command, _ []string) (err error) {
			if _, err := os.Stat(filepath.Join(f.state, journal.File)); errors.Is(err, os.ErrNotExist) {
				fmt.Fprintln(cmd.OutOrStdout(), "No agent has kept anything in "+f.state+": there is nothing to "+
					"give back.")
				return nil
			}
			m, err := open(cmd.Context(), *f, false)
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, m.close()) }()
			a, err := agent.New(agent.Options{Host: m.host, Service: strings.TrimRight(f.service, "/"), Dir: f.state,
				HTTP: &http.Client{Timeout: 90 * time.Second}, Clock: agent.SystemClock{}, Log: slog.Default()})
			if err != nil {
				return err
			}
			l, err := a.Leave(cmd.Context(), handOver)
			for _, done := range l.Done {
				fmt.Fprintln(cmd.OutOrStdout(), "done  "+done)
			}
			for _, left := range l.Left {
				fmt.Fprintln(cmd.OutOrStdout(), "left  "+left)
			}
			if err == nil && len(l.Left) > 0 {
				err = errLeft
			}
			return err
		},
	}
	cmd.Flags().BoolVar(&handOver, "hand-over", false, "keep managed accounts, with a last password in escrow")
	cmd.Flags().StringVar(&f.service, "service", "http://127.0.0.1:8470", "`URL` of the service, for --hand-over")
	return cmd
}

// generaliseCommand makes the machine ready to be copied.
func generaliseCommand(f *flags) *cobra.Command {
	return &cobra.Command{
		Use: "generalise", Short: "Make this machine ready to be an image, from which each copy enrols as itself",
		Args: cobra.NoArgs,
		Long: "Make this machine ready to be an image, with the agent stopped: what says who the device is goes,\n" +
			"and each copy enrols as itself, with a token that it is given. Accounts and rules stay as they are.\n" +
			"Two machines that run with one identity are noticed by the service, and both must enrol again.",
		RunE: func(cmd *cobra.Command, _ []string) error {
			release, err := alone(*f)
			if err != nil {
				return err
			}
			defer release()
			err = os.Remove(filepath.Join(f.state, journal.File))
			if err != nil && !errors.Is(err, os.ErrNotExist) {
				return err
			}
			fmt.Fprintln(cmd.OutOrStdout(), "This machine has no identity any more. Empty /etc/machine-id too, "+
				"where it is not "+
				"done by what makes the image.")
			return nil
		},
	}
}
