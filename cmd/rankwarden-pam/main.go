//go:build linux

// The program rankwarden-pam goes through the system's PAM for the agent: it signs in as a throw-away account, or
// changes its password, and says what the system answered. Nobody is signed in by it: it opens no session and starts
// no program.
package main

import (
	"encoding/json"
	"fmt"
	"io"
	"os"

	"rankwarden.example/internal/agent/host/linux/door"
)

// maxInput bounds what is read, in bytes.
const maxInput = 1 << 20

func main() {
	if err := run(os.Stdin, os.Stdout); err != nil {
		fmt.Fprintln(os.Stderr, "rankwarden-pam:", err)
		os.Exit(1)
	}
}

func run(in io.Reader, out io.Writer) error {
	var trial door.Trial
	if err := json.NewDecoder(io.LimitReader(in, maxInput)).Decode(&trial); err != nil {
		return fmt.Errorf("it is a helper of rankwarden-agent, which gives it what to try: %w", err)
	}
	library, err := open()
	if err != nil {
		return err
	}
	outcomes := make([]door.Outcome, len(trial.Steps))
	for i, step := range trial.Steps {
		if outcomes[i], err = library.take(trial, step); err != nil {
			return err
		}
	}
	return json.NewEncoder(out).Encode(outcomes)
}
