// Package manualtest checks what a program says of itself.
package manualtest

import (
	"testing"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"github.com/stretchr/testify/assert"
)

// Options checks that the help of every option of a command, and of those below it, names its kind of value in the
// trade's word, and not that of the program's language.
func Options(t *testing.T, cmd *cobra.Command) {
	cmd.LocalFlags().VisitAll(func(f *pflag.Flag) {
		kind, _ := pflag.UnquoteUsage(f)
		assert.NotContains(t, []string{"string", "strings", "int", "ints", "duration", "stringArray"}, kind,
			"%s --%s: %s", cmd.CommandPath(), f.Name, f.Usage)
	})
	for _, below := range cmd.Commands() {
		Options(t, below)
	}
}
