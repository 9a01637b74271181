package main

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"
	"golang.org/x/sys/windows"
	"golang.org/x/sys/windows/svc/eventlog"
	"golang.org/x/sys/windows/svc/mgr"

	"rankwarden.example/internal/agent/host/windows/win32"
	"rankwarden.example/internal/kit/atomicfile"
)

// How the agent is set up on this platform, in words.
const (
	setUpDoes = "It keeps the token in the state directory, and installs and starts the Windows service " +
		serviceName +
		", which writes to the event log Application. The installer package does the same by itself."
	setUpExample = `  rankwarden-agent.exe set-up --service https://warden.skerryline.example --token-file token`
)

// enrolHere keeps the token where only the system reads it, and starts the service.
func enrolHere(cmd *cobra.Command, _ flags, service, token string) error {
	dir, err := win32.DefaultDir()
	if err != nil {
		return err
	}
	if err := win32.Private(dir); err != nil {
		return err
	}
	kept := filepath.Join(dir, "token")
	if err := atomicfile.Write(kept, []byte(token+"\r\n"), 0o600); err != nil {
		return err
	}
	if err := keepSettings(service, kept); err != nil {
		return err
	}
	program, err := os.Executable()
	if err != nil {
		return err
	}
	manager, err := mgr.Connect()
	if err != nil {
		return fmt.Errorf("asking the service manager: %w; run this as an administrator", err)
	}
	defer func() { _ = manager.Disconnect() }()
	s, err := manager.OpenService(serviceName)
	if errors.Is(err, windows.ERROR_SERVICE_DOES_NOT_EXIST) {
		s, err = manager.CreateService(serviceName, program, mgr.Config{
			StartType: mgr.StartAutomatic, DisplayName: "Rank Warden agent",
			Description: "Keeps this device as its policies ask.",
		})
	}
	if err != nil {
		return fmt.Errorf("installing the service: %w", err)
	}
	defer s.Close()
	// A source that is there already is from an earlier time.
	_ = eventlog.InstallAsEventCreate(serviceName, eventlog.Error|eventlog.Warning|eventlog.Info)
	switch err := s.Start(); {
	case errors.Is(err, windows.ERROR_SERVICE_ALREADY_RUNNING):
		fmt.Fprintln(cmd.OutOrStdout(), "Written. The service", serviceName, "runs already: restart it to use this.")
	case err != nil:
		return fmt.Errorf("starting the service: %w", err)
	default:
		fmt.Fprintln(cmd.OutOrStdout(), "The service", serviceName, "runs.")
	}
	return nil
}
