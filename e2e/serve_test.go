package e2e

import (
	"bufio"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/client"
)

func TestServeRefusesWhatIsUnsafeOrUnclear(t *testing.T) {
	file := filepath.Join(t.TempDir(), "rankwardend.yaml")
	require.NoError(t, os.WriteFile(file, []byte("lisen: 127.0.0.1:0\n"), 0o600))
	for says, args := range map[string][]string{
		"without TLS everybody":      {"--listen", "0.0.0.0:8470", "--database", cluster.URL()},
		"no database":                {},
		"HOST:PORT":                  {"--listen", "here", "--database", cluster.URL()},
		"belong together":            {"--tls-cert", "a.pem", "--database", cluster.URL()},
		`there is no option "lisen"`: {"--config", file},
		"must be from 1s to 24h":     {"--interval", "0s", "--database", cluster.URL()},
		"log-level":                  {"--log-level", "loud"},
	} {
		out, err := exec.Command(filepath.Join(binaries, "rankwardend"), append([]string{"serve"}, args...)...).
			CombinedOutput()
		require.Error(t, err, says)
		assert.Contains(t, string(out), says)
	}
}

func TestServeByConfigurationAndStop(t *testing.T) {
	dir, address, devices := t.TempDir(), freeAddress(t), freeAddress(t)
	url, err := cluster.CreateDatabase(t.Context(), "served")
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(
		filepath.Join(dir, "rankwardend.yaml"),
		[]byte("organisation: Skerry Line\nlisten: 127.0.0.1:1\nlog-format: json\n"),
		0o600,
	))
	said, err := rankwardend(dir, "keys", "new", "--service", "--database", url).CombinedOutput()
	require.NoError(t, err, string(said))
	assert.Contains(t, string(said), "Keep a copy in a safe place")
	cmd := rankwardend(dir, "serve", "--config", "rankwardend.yaml", "--listen", address, "--device-listen", devices)
	cmd.Env = append(cmd.Env, "RANKWARDEN_DATABASE="+url)
	logs, err := cmd.StderrPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	lines := bufio.NewScanner(logs)
	for lines.Scan() && !strings.Contains(lines.Text(), `"msg":"serving"`) {
	}
	for path, want := range map[string]string{address + "/healthz": "alive\n", address + "/readyz": "ready\n",
		devices + "/readyz": "ready\n", devices + "/device/v1/keys": `{"key_list":"`} {
		resp, err := http.Get("http://" + path)
		require.NoError(t, err)
		body, err := io.ReadAll(resp.Body)
		require.NoError(t, err)
		resp.Body.Close()
		assert.True(t, strings.HasPrefix(string(body), want), "%s: %s", path, body)
	}
	resp, err := http.Get("http://" + address + "/device/v1/keys")
	require.NoError(t, err)
	resp.Body.Close()
	assert.Equal(t, http.StatusNotFound, resp.StatusCode, "devices have an address of their own")
	password, err := os.ReadFile(filepath.Join(dir, "rankwarden-first-password"))
	require.NoError(t, err)
	c := client.New("http://"+address, "").Look(hasLooked)
	me, err := c.SignIn(t.Context(), "owner", strings.TrimSpace(string(password)))
	require.NoError(t, err)
	assert.Equal(t, "Skerry Line", me.Organisation)
	go func() {
		for lines.Scan() { // so that the service is never held up
		}
	}()
	require.NoError(t, cmd.Process.Signal(syscall.SIGTERM))
	assert.NoError(t, cmd.Wait())
}
