//go:build !linux

package main

import "context"

// openThis refuses: this platform has no host yet.
func openThis(context.Context, string) (machine, error) { return machine{}, errNoHost }
