// Command rankwarden-agent keeps one device as its policies ask.
package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"os"
	"os/signal"
	"runtime/debug"
	"strings"
	"syscall"
	"time"

	"rankwarden.example/internal/kit/manual"
	"rankwarden.example/internal/kit/version"

	"github.com/spf13/cobra"

	"rankwarden.example/internal/agent"
	"rankwarden.example/internal/wire/protocol"
)

// tidiness is how much the agent's memory may grow before what is not needed any more is freed, in percent: it lives on
// workstations that have other work, and has little to do itself.
const tidiness = 25

func main() {
	debug.SetGCPercent(tidiness)
	slog.SetDefault(slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{ReplaceAttr: outsideJournal})))
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	err := execute(ctx)
	stop()
	if err != nil {
		fmt.Fprintln(os.Stderr, "rankwarden-agent:", err)
		os.Exit(1)
	}
}

// outsideJournal leaves out when something was logged where the journal of the system notes that itself.
func outsideJournal(groups []string, a slog.Attr) slog.Attr {
	if a.Key == slog.TimeKey && len(groups) == 0 && os.Getenv("JOURNAL_STREAM") != "" {
		return slog.Attr{}
	}
	return a
}

type flags struct {
	service, tokenFile, state, host, name string
	once                                  bool
}

func root() *cobra.Command {
	var f flags
	cmd := &cobra.Command{
		Version: version.Long(),
		Use:     "rankwarden-agent", Short: "The device agent of Rank Warden", Args: cobra.NoArgs,
		Long: "The device agent of Rank Warden. It enrols the device with a token, and then keeps it as its " +
			"policies ask.\n\nIt keeps the workstation it runs on; with --host simulated, one that exists in its " +
			"state directory alone.",
		SilenceUsage: true, SilenceErrors: true,
		RunE: func(cmd *cobra.Command, _ []string) error { return run(cmd.Context(), f) },
	}
	cmd.Flags().StringVar(&f.service, "service", "http://127.0.0.1:8470", "`URL` of the service")
	cmd.Flags().StringVar(&f.tokenFile, "token-file", "",
		"`file` with the enrolment token; needed until the device is enrolled")
	cmd.PersistentFlags().StringVar(&f.state, "state", defaultState(), "`directory` for what the agent keeps")
	cmd.PersistentFlags().StringVar(&f.host, "host", hostThis, "`this` workstation, or a simulated one")
	cmd.PersistentFlags().StringVar(&f.name, "name", "SKL-SIM-001", "`name` of a simulated workstation when it is new")
	cmd.Flags().BoolVar(&f.once, "once", false, "do one turn and end")
	cmd.AddCommand(statusCommand(&f), checkInCommand(&f), checkCommand(&f), applyCommand(&f), hostCheck(&f),
		setUp(&f), leaveCommand(&f), generaliseCommand(&f))
	addPlatform(cmd)
	manual.AddTo(cmd)
	return cmd
}

// run is the agent until it is told to end: it opens the host of this platform and the state directory, enrols where
// it has not, and goes on checking in.
func run(ctx context.Context, f flags) (err error) {
	token, err := tokenOnce(f)
	if err != nil {
		return err
	}
	m, err := open(ctx, f, false)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, m.close()) }()
	a, err := agent.New(
		agent.Options{Host: m.host, Service: strings.TrimRight(f.service, "/"), Token: token, Dir: f.state,
			HTTP: &http.Client{Timeout: 90 * time.Second}, Clock: agent.SystemClock{}, Log: slog.Default(),
			StatusFile: statusFile(f), Enrolled: func() error { return removeToken(f.tokenFile) }},
	)
	if err != nil {
		return err
	}
	if !f.once {
		return a.Run(ctx)
	}
	if err := a.Cycle(ctx); err != nil {
		return err
	}
	fmt.Println(a.Summary())
	return nil
}

// readToken reads an enrolment token from a file, in which it may stand among other lines; empty for no file.
func readToken(file string) (string, error) {
	if file == "" {
		return "", nil
	}
	data, err := os.ReadFile(file)
	if err != nil {
		return "", fmt.Errorf("enrolment token: %w", err)
	}
	for line := range strings.Lines(string(data)) { // the token may stand among other lines
		if _, err := protocol.ParseToken(line); err == nil {
			return strings.TrimSpace(line), nil
		}
	}
	return "", fmt.Errorf(
		"enrolment token: %s holds none; a token has four parts, rwe.ID.SECRET.FINGERPRINT. Write one with: "+
			"rankwarden enrolment create > FILE",
		file,
	)
}
