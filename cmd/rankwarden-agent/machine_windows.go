package main

import (
	"context"
	"os"
	"path/filepath"
	"time"

	"rankwarden.example/internal/agent/host/hosttest"
	"rankwarden.example/internal/agent/host/windows"
	"rankwarden.example/internal/agent/host/windows/win32"
)

// stateDir makes a directory for what the agent keeps; that of a real workstation only the system and administrators
// can read.
func stateDir(dir string, private bool) error {
	if private {
		return win32.Private(dir)
	}
	return os.MkdirAll(dir, 0o700)
}

// defaultState is where the agent keeps its state unless it is told another place.
func defaultState() string {
	dir, err := win32.DefaultDir()
	if err != nil {
		return "rankwarden-agent-state"
	}
	return dir
}

// machineLock is the file that an agent of this machine holds, wherever it keeps its state.
func machineLock() string {
	dir, err := win32.DefaultDir()
	if err != nil || win32.Private(dir) != nil {
		return "" // then the directory that it was given is its lock
	}
	return filepath.Join(dir, "machine.lock")
}

// openThis takes over the workstation that the agent runs on.
func openThis(_ context.Context, dir string, _ bool) (machine, error) {
	h, err := windows.Open(win32.New(dir), dir, time.Now)
	if err != nil {
		return machine{}, err
	}
	bench := func(second func() error) *hosttest.Bench {
		var at win32.Hands
		return &hosttest.Bench{
			Host:   h,
			SignIn: at.SignIn,
			Stay:   at.Stay,
			Change: at.Change,
			Later:  at.Later,
			Second: second,
		}
	}
	return machine{h, bench, func() error { return nil }}, nil
}
