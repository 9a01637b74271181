//go:build !linux && !windows

package main

import (
	"context"
	"errors"

	"github.com/spf13/cobra"
)

// openThis refuses: this platform has no host yet.
func openThis(context.Context, string, bool) (machine, error) { return machine{}, errNoHost }

// errNoHost is given on platforms without a host.
var errNoHost = errors.New(
	"the agent cannot keep workstations of this platform; use --host " + hostSimulated + " to try it",
)

// How the agent is set up on this platform, in words.
const (
	setUpDoes    = "There is no package for this platform yet."
	setUpExample = ""
)

func enrolHere(*cobra.Command, flags, string, string) error { return errNoHost }
