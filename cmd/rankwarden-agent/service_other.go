//go:build !windows

package main

import "context"

// execute runs the command.
func execute(ctx context.Context) error { return root().ExecuteContext(ctx) }
