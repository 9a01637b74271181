package e2e

import (
	"bufio"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// slows has a directory of the workstation lie on a disk on which whatever is written takes a while.
func (r *real) slows(dir, delay string) {
	under := "/mnt/" + filepath.Base(dir)
	r.sh("mkdir -p " + dir + " " + under + "; mount --bind " + dir + " " + under)
	cmd := r.Command(r.t.Context(), "slowdisk", dir, under, delay)
	out, err := cmd.StdoutPipe()
	require.NoError(r.t, err)
	require.NoError(r.t, cmd.Start())
	r.t.Cleanup(func() { _ = cmd.Process.Kill(); _ = cmd.Wait() })
	said, err := bufio.NewReader(out).ReadString('\n')
	require.NoError(r.t, err)
	require.Equal(r.t, "ready\n", said)
}

// Where each thing that is written takes a quarter of a second, all of it still comes to be, in the same order.
func TestASlowDisk(t *testing.T) {
	beside(t)
	s := startQuick(t)
	const name = "SKL-INF-924"
	r := realWorkstation(t, name)
	program := filepath.Join(t.TempDir(), "slowdisk")
	out, err := exec.Command("go", "build", "-o", program, "./slowdisk").CombinedOutput()
	require.NoError(t, err, string(out))
	require.NoError(t, r.Install(program, "/usr/bin/slowdisk"))
	r.slows("/var/lib/rankwarden-agent", "250ms")
	r.slows("/etc", "50ms")
	s.publish("base", onlyMooring, 500, "everything")
	s.enrols(r)
	s.comesTo(name, "in_step")
	before := s.current(name)
	s.order("rotate", "account:mooring", name)
	s.until(func() bool { return s.current(name) != before })
	s.comesTo(name, "in_step")
	require.NoError(t, r.SignIn(t.Context(), "mooring", s.current(name)))
	assert.Error(t, r.SignIn(t.Context(), "mooring", before))
	assert.Contains(t, r.sh("grep ^sudo: /etc/group"), "mooring")
}
