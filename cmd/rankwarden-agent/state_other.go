//go:build !windows

package main

import (
	"fmt"
	"os"
)

// stateDir makes a directory for what the agent keeps.
func stateDir(dir string, _ bool) error {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return fmt.Errorf("state directory: %w", err)
	}
	return nil
}

// defaultState is where the agent keeps its state unless it is told another place.
func defaultState() string { return "/var/lib/rankwarden-agent" }

// machineLock is the file that an agent of this machine holds, wherever it keeps its state.
func machineLock() string { return "/run/rankwarden-agent.lock" }
