//go:build linux

package linux

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func written(t *testing.T, path, text string) string {
	t.Helper()
	require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
	require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
	return path
}

func TestAsWhomAUnitRuns(t *testing.T) {
	dir := t.TempDir()
	before := unitDirs
	t.Cleanup(func() { unitDirs = before })
	unitDirs = []string{filepath.Join(dir, "etc"), filepath.Join(dir, "lib")}
	unit := written(t, filepath.Join(dir, "lib", "tide.service"), "[Unit]\nUser=nobody\n[Service]\nUser=tide\n")
	assert.Equal(t, "tide", unitUser(unit, "tide"))
	written(t, filepath.Join(dir, "lib", "tide.service.d", "a.conf"), "[Service]\nUser=former\n")
	written(t, filepath.Join(dir, "etc", "tide.service.d", "a.conf"), "[Service]\nUser = other\nUser=crew\n")
	assert.Equal(t, "crew", unitUser(unit, "tide"), "a drop-in of /etc is the last word")
}

func TestAsWhomTablesOfCronRun(t *testing.T) {
	path := written(t, filepath.Join(t.TempDir(), "nightly"),
		"# m h dom mon dow user command\nSHELL=/bin/sh\n17 3 * * * tide /usr/bin/copy\n@daily crew /usr/bin/count\n\n")
	assert.Equal(t, []string{"tide", "crew"}, cronUsers(path))
}
