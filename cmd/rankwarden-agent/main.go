// Command rankwarden-agent keeps one device as its policies ask.
package main

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"os"
	"os/signal"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent"
	"rankwarden.example/internal/agent/host/simulated"
	"rankwarden.example/internal/protocol"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	err := root().ExecuteContext(ctx)
	stop()
	if err != nil {
		fmt.Fprintln(os.Stderr, "rankwarden-agent:", err)
		os.Exit(1)
	}
}

type flags struct {
	service, tokenFile, state, name string
	once                            bool
}

func root() *cobra.Command {
	var f flags
	cmd := &cobra.Command{
		Use: "rankwarden-agent", Short: "The device agent of Rank Warden", Args: cobra.NoArgs,
		Long: "The device agent of Rank Warden. It enrols the device with a token, and then keeps it as its policies " +
			"ask.\n\n" +
			"The host of this version is a simulated workstation, kept in the state directory.",
		SilenceUsage: true, SilenceErrors: true,
		RunE: func(cmd *cobra.Command, _ []string) error { return run(cmd.Context(), f) },
	}
	cmd.Flags().StringVar(&f.service, "service", "http://127.0.0.1:8470", "`URL` of the service")
	cmd.Flags().
		StringVar(&f.tokenFile, "token-file", "", "`file` with the enrolment token; needed until the device is enrolled")
	cmd.Flags().StringVar(&f.state, "state", "rankwarden-agent-state", "`directory` for what the agent keeps")
	cmd.Flags().StringVar(&f.name, "name", "SKL-SIM-001", "`name` of the simulated workstation when it is new")
	cmd.Flags().BoolVar(&f.once, "once", false, "do one turn and end")
	return cmd
}

func run(ctx context.Context, f flags) error {
	token, err := readToken(f.tokenFile)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(f.state, 0o700); err != nil {
		return fmt.Errorf("state directory: %w", err)
	}
	machine, err := bootMachine(f)
	if err != nil {
		return err
	}
	a, err := agent.New(
		agent.Options{Host: machine, Service: strings.TrimRight(f.service, "/"), Token: token, Dir: f.state,
			HTTP: &http.Client{Timeout: 90 * time.Second}, Clock: agent.SystemClock{}, Log: slog.Default()},
	)
	if err != nil {
		return err
	}
	if f.once {
		if err = a.Cycle(ctx); err == nil {
			fmt.Println(a.Summary())
		}
	} else {
		err = a.Run(ctx)
	}
	return errors.Join(err, machine.WriteDisk(machinePath(f)))
}

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
		"enrolment token: %s holds none; a token has four parts, rwe.ID.SECRET.FINGERPRINT. Write one with: rankwarden "+
			"enrolment create > FILE",
		file,
	)
}

func machinePath(f flags) string { return filepath.Join(f.state, "machine.json") }

// bootMachine starts the simulated workstation, as it was left or new from the factory.
func bootMachine(f flags) (*simulated.Workstation, error) {
	kept, err := simulated.ReadDisk(machinePath(f))
	if err != nil {
		return nil, err
	}
	if kept != nil {
		return simulated.Boot(*kept, time.Now), nil
	}
	sum := sha256.Sum256([]byte(f.name))
	domain, err := principal.ParseSID(
		fmt.Sprintf("S-1-5-21-7000-%d-%d", binary.BigEndian.Uint32(sum[:]), binary.BigEndian.Uint32(sum[4:])),
	)
	if err != nil {
		return nil, err
	}
	w := simulated.Boot(
		simulated.Factory(
			protocol.Facts{
				Name:      f.name,
				Model:     "Simulated workstation",
				Platform:  "windows",
				OSVersion: "10.0.22631",
				OSBuild:   22631,
			},
			domain,
			time.Now(),
		),
		time.Now,
	)
	w.AddAccount("keeper")
	return w, w.Join("administrators", "keeper")
}
