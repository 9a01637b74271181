//go:build !linux

package main

import (
	"context"
	"errors"
)

// openThis refuses: this platform has no host yet.
func openThis(context.Context, string) (machine, error) { return machine{}, errNoHost }

// errNoHost is given on platforms without a host.
var errNoHost = errors.New(
	"the agent cannot keep workstations of this platform; use --host " + hostSimulated + " to try it",
)
