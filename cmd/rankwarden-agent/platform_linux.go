package main

import (
	"github.com/spf13/cobra"

	"rankwarden.example/internal/agent/host/linux"
)

// addPlatform adds what the agent needs of itself on this platform.
func addPlatform(root *cobra.Command) {
	root.AddCommand(&cobra.Command{
		Use: linux.EditAges + " CHANGES FILE", Short: "Edit ages of passwords, for vipw(8)", Hidden: true,
		Args: cobra.ExactArgs(2),
		RunE: func(_ *cobra.Command, args []string) error { return linux.EditShadow(args[0], args[1]) },
	})
}
