package main

import (
	"testing"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"github.com/stretchr/testify/assert"
)

// The help of an option names its kind of value in the trade's word, and not that of the program's language.
func TestOptionsNameTheirKindOfValue(t *testing.T) {
	var visit func(cmd *cobra.Command)
	visit = func(cmd *cobra.Command) {
		cmd.LocalFlags().VisitAll(func(f *pflag.Flag) {
			kind, _ := pflag.UnquoteUsage(f)
			assert.NotContains(t, []string{"string", "strings", "int", "ints", "duration", "stringArray"}, kind,
				"%s --%s: %s", cmd.CommandPath(), f.Name, f.Usage)
		})
		for _, below := range cmd.Commands() {
			visit(below)
		}
	}
	visit(root())
}
