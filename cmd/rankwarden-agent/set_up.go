package main

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"rankwarden.example/internal/durably"
)

// Where the unit of the package reads what it needs.
const (
	settingsDir  = "/etc/rankwarden"
	settingsFile = settingsDir + "/agent.env"
	settingsKey  = settingsDir + "/token"
)

// setUp writes what the unit of the package needs, and starts it.
func setUp() *cobra.Command {
	var service, tokenFile string
	cmd := &cobra.Command{
		Use: "set-up", Short: "Have the installed agent enrol this device, now and after every start", Args: cobra.NoArgs,
		Long: "Have the installed agent enrol this device, now and after every start. It writes " + settingsFile + " and " +
			settingsKey + ", and starts the unit rankwarden-agent.",
		Example: "  sudo apt-get install -y ./rankwarden-agent_*.deb && sudo rankwarden-agent set-up --service " +
			"https://warden.skerryline.example --token-file token",
		RunE: func(cmd *cobra.Command, _ []string) error {
			token, err := readToken(tokenFile)
			if err != nil {
				return err
			}
			if err := writeSettings(service, token); err != nil {
				return err
			}
			if _, err := os.Stat("/run/systemd/system"); err != nil {
				fmt.Fprintln(cmd.OutOrStdout(), "Written. systemd does not run here: start the agent yourself, as in",
					"/usr/lib/systemd/system/rankwarden-agent.service.")
				return nil
			}
			return startUnit(cmd.Context())
		},
	}
	cmd.Flags().StringVar(&service, "service", "", "`URL` of the service")
	cmd.Flags().StringVar(&tokenFile, "token-file", "", "`file` with an enrolment token")
	_ = cmd.MarkFlagRequired("service")
	_ = cmd.MarkFlagRequired("token-file")
	return cmd
}

// writeSettings puts the address and the token where the unit reads them; nobody but root reads the token.
func writeSettings(service, token string) error {
	at, err := url.Parse(service)
	if err != nil || at.Host == "" || at.Scheme != "https" && at.Scheme != "http" ||
		strings.ContainsAny(service, " \t\r\n'\"$\\") {
		return fmt.Errorf("%q is no address of a service; write one such as https://warden.skerryline.example", service)
	}
	if err := os.MkdirAll(settingsDir, 0o755); err != nil {
		return err
	}
	return errors.Join(
		durably.Write(settingsKey, []byte(token+"\n"), 0o600),
		durably.Write(settingsFile, []byte("RANKWARDEN_SERVICE="+strings.TrimRight(service, "/")+"\n"), 0o644),
	)
}

func startUnit(ctx context.Context) error {
	out, err := exec.CommandContext(ctx, "systemctl", "enable", "--now", "rankwarden-agent.service").CombinedOutput()
	if err != nil {
		return fmt.Errorf("starting the unit: %w: %s", err, strings.TrimSpace(string(out)))
	}
	return nil
}

// tokenOnce is the token of a device that has not enrolled yet; a file that is gone since is no error.
func tokenOnce(f flags) (string, error) {
	_, err := os.Stat(filepath.Join(f.state, "agent.json"))
	token, tokenErr := readToken(f.tokenFile)
	if err == nil && errors.Is(tokenErr, os.ErrNotExist) {
		return "", nil
	}
	return token, tokenErr
}
