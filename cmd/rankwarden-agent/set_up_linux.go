package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"strings"

	"github.com/spf13/cobra"

	"rankwarden.example/internal/kit/atomicfile"
)

// Where the unit of the package reads what it needs.
const (
	settingsDir  = "/etc/rankwarden"
	settingsFile = settingsDir + "/agent.env"
	settingsKey  = settingsDir + "/token"
)

// How the agent is set up on this platform, in words.
const (
	setUpDoes    = "It writes " + settingsFile + " and " + settingsKey + ", and starts the unit rankwarden-agent."
	setUpExample = "  sudo apt-get install -y ./rankwarden-agent_*.deb && sudo rankwarden-agent set-up --service " +
		"https://warden.skerryline.example --token-file token"
)

// enrolHere puts the address and the token where the unit reads them, nobody but root reads the token, and starts the
// unit.
func enrolHere(cmd *cobra.Command, _ flags, service, token string) error {
	if err := os.MkdirAll(settingsDir, 0o755); err != nil {
		return err
	}
	err := errors.Join(
		atomicfile.Write(settingsKey, []byte(token+"\n"), 0o600),
		atomicfile.Write(settingsFile, []byte("RANKWARDEN_SERVICE="+service+"\n"), 0o644),
	)
	if err != nil {
		return err
	}
	if _, err := os.Stat("/run/systemd/system"); err != nil {
		fmt.Fprintln(cmd.OutOrStdout(), "Written. systemd does not run here: start the agent yourself, as in",
			"/usr/lib/systemd/system/rankwarden-agent.service.")
		return nil
	}
	return startUnit(cmd.Context())
}

func startUnit(ctx context.Context) error {
	out, err := exec.CommandContext(ctx, "systemctl", "enable", "--now", "rankwarden-agent.service").CombinedOutput()
	if err != nil {
		return fmt.Errorf("starting the unit: %w: %s", err, strings.TrimSpace(string(out)))
	}
	return nil
}
