package manual_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/spf13/cobra"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/kit/manual"
)

func TestAProgramWritesItsManual(t *testing.T) {
	root := &cobra.Command{Use: "lamp", Short: "Look after lamps"}
	root.AddCommand(&cobra.Command{Use: "light NAME", Short: "Light a lamp", Run: func(*cobra.Command, []string) {}})
	manual.AddTo(root)
	dir := t.TempDir()
	root.SetArgs([]string{"manual", dir})
	require.NoError(t, root.Execute())
	page, err := os.ReadFile(filepath.Join(dir, "man", "lamp-light.1"))
	require.NoError(t, err)
	assert.Contains(t, string(page), "Light a lamp")
	assert.NoFileExists(t, filepath.Join(dir, "man", "lamp-manual.1"), "it is hidden")
	assert.NoFileExists(t, filepath.Join(dir, "man", "lamp-completion.1"))
	for _, file := range []string{"man/lamp.1", "bash/lamp", "zsh/_lamp", "fish/lamp.fish"} {
		assert.FileExists(t, filepath.Join(dir, file))
	}
	root.SetArgs([]string{"manual", filepath.Join(dir, "man", "lamp.1", "below")})
	root.SilenceErrors, root.SilenceUsage = true, true
	assert.ErrorContains(t, root.Execute(), "writing the manual")
}
