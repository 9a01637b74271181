//go:build !linux

package main

import "github.com/spf13/cobra"

// addPlatform adds what the agent needs of itself on this platform: nothing.
func addPlatform(*cobra.Command) {}
