package e2e

import (
	"bufio"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// demo is a running demo, as a user starts it.
type demoProcess struct {
	data                string
	url, password, home string
}

func startDemo(t *testing.T, extra ...string) demoProcess {
	d := demoProcess{home: t.TempDir(), data: dataDir(t)}
	address := freeAddress(t)
	args := append(
		[]string{"demo", "--data", d.data, "--listen", address, "--devices", "20", "--interval", "2s"},
		extra...)
	cmd := exec.Command(filepath.Join(binaries, "rankwardend"), args...)
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	cmd.Stderr = os.Stderr
	require.NoError(t, cmd.Start())
	t.Cleanup(func() {
		require.NoError(t, cmd.Process.Signal(syscall.SIGINT))
		assert.NoError(t, cmd.Wait(), "Ctrl-C stops all of it cleanly")
	})
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		words := strings.Fields(lines.Text())
		if len(words) == 2 && words[0] == "Password" {
			d.password = words[1]
		}
		if strings.Contains(lines.Text(), "Ctrl-C") {
			break
		}
	}
	require.NotEmpty(t, d.password)
	go func() {
		for lines.Scan() { // so that the demo is never held up
		}
	}()
	d.url = "http://" + address
	return d
}

// command runs the client as a process; want is its exit status.
func (d demoProcess) command(t *testing.T, want int, stdin string, args ...string) (stdout, stderr string) {
	t.Helper()
	cmd := exec.Command(filepath.Join(binaries, "rankwarden"), args...)
	cmd.Env = []string{"HOME=" + d.home, "XDG_CONFIG_HOME=" + d.home}
	cmd.Dir = d.home
	cmd.Stdin = strings.NewReader(stdin)
	var out, errs strings.Builder
	cmd.Stdout, cmd.Stderr = &out, &errs
	err := cmd.Run()
	if err != nil {
		require.IsType(t, &exec.ExitError{}, err)
	}
	require.Equal(t, want, cmd.ProcessState.ExitCode(), "%v: %s%s", args, out.String(), errs.String())
	assert.NotContains(t, out.String(), "\x1b[", "no colours where there is no terminal")
	return out.String(), errs.String()
}

// verified reports whether a device has all that is asked of it. One of a busy machine comes online late.
func (d demoProcess) verified(t *testing.T, device string) bool {
	out, _ := d.command(t, 0, "", "device", "list", "--standing", "in_step", "--output", "csv")
	return strings.Contains(out, device)
}

func (d demoProcess) write(t *testing.T, name, content string) string {
	require.NoError(t, os.WriteFile(filepath.Join(d.home, name), []byte(content), 0o600))
	return name
}

func freeAddress(t *testing.T) string {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	return l.Addr().String()
}

// dataDir is a directory that root's unprivileged PostgreSQL can reach.
func dataDir(t *testing.T) string {
	dir, err := os.MkdirTemp("", "rankwarden-demo-*")
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(dir) })
	return dir
}
