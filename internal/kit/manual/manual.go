// Package manual writes what a package of a program has beside it: pages of the manual, and completions for shells.
package manual

import (
	"fmt"
	"os"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"
)

// AddTo gives a program a hidden command that writes its manual into a directory: man/ for man(1), and bash/, zsh/ and
// fish/ for the shells. What it writes is the same each time.
func AddTo(root *cobra.Command) {
	root.AddCommand(&cobra.Command{
		Use: "manual DIRECTORY", Short: "Write pages of the manual and completions for shells", Hidden: true,
		Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error { return write(root, args[0]) },
	})
}

func write(root *cobra.Command, dir string) error {
	for _, part := range []string{"man", "bash", "zsh", "fish"} {
		if err := os.MkdirAll(filepath.Join(dir, part), 0o755); err != nil {
			return fmt.Errorf("writing the manual: %w", err)
		}
	}
	root.DisableAutoGenTag = true
	for _, c := range root.Commands() {
		c.Hidden = c.Hidden || c.Name() == "completion" // the library's, of which a package has what it prints
	}
	began := time.Unix(0, 0).UTC() // no page says when it was written
	header := &doc.GenManHeader{Section: "1", Source: "Rank Warden", Manual: "Rank Warden", Date: &began}
	if err := doc.GenManTree(root, header, filepath.Join(dir, "man")); err != nil {
		return fmt.Errorf("writing the manual: %w", err)
	}
	name := root.Name()
	for file, generate := range map[string]func(path string) error{
		filepath.Join("bash", name): func(
			path string) error {
			return root.GenBashCompletionFileV2(path, true)
		},
		filepath.Join("zsh", "_"+name):      func(path string) error { return root.GenZshCompletionFile(path) },
		filepath.Join("fish", name+".fish"): func(path string) error { return root.GenFishCompletionFile(path, true) },
	} {
		if err := generate(filepath.Join(dir, file)); err != nil {
			return fmt.Errorf("writing the completions: %w", err)
		}
	}
	return nil
}
