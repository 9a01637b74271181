//go:build linux

package linux

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
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

func TestWhatSudoersAllow(t *testing.T) {
	d := database{
		people: []person{{name: "dave", uid: 1001}, {name: "tide", uid: 1002}},
		groups: []group{{name: "sudo", gid: 27}, {name: "crew", gid: 1005}},
	}
	list, err := sudoOf(d, `{"User_Specs": [
		{"User_List": [{"username": "root"}], "Cmnd_Specs": [{"Commands": [{"command": "ALL"}]}]},
		{"User_List": [{"username": "dave"}, {"usergroup": "sudo"}],
		 "Cmnd_Specs": [{"runasusers": [{"username": "ALL"}], "Commands": [{"command": "ALL"}]}]},
		{"User_List": [{"username": "tide"}], "Cmnd_Specs": [{"runasusers": [{"username": "crew"}],
		 "Commands": [{"command": "ALL"}, {"command": "/bin/su", "negated": true}]}]},
		{"User_List": [{"username": "gone"}], "Cmnd_Specs": [{"Commands": [{"command": "/bin/ls"}]}]}]}`,
		func(name string) string { return "of " + name })
	require.NoError(t, err)
	assert.Equal(t, []drift.Sudo{
		{Name: "dave", SID: personSID(1001), Via: "of dave", Commands: []string{"ALL"}, Root: true},
		{Name: "%sudo", SID: d.sidOf(d.groups[0]), Via: "of %sudo", Commands: []string{"ALL"}, Root: true},
		{Name: "tide", SID: personSID(1002), Via: "of tide", Commands: []string{"ALL", "!/bin/su"}},
		{Name: "gone", Via: "of gone", Commands: []string{"/bin/ls"}},
	}, list)
	_, err = sudoOf(d, "{", nil)
	assert.ErrorContains(t, err, "cvtsudoers")
}
