package e2e

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/client"
)

// A machine that was copied whole holds the key of the other. Both are noticed as soon as both are there, and neither
// is trusted any more; an image that was made ready has no key.
func TestACopiedWorkstation(t *testing.T) {
	beside(t)
	s := startQuick(t)
	const name = "SKL-INF-916"
	r := realWorkstation(t, name)
	s.publish("base", mooringOnly, 500, "everything")
	stop := s.enrols(r)
	s.comesTo(name, "in_step")
	stop()

	twin := realWorkstation(t, name)
	twin.sh("mkdir -p -m 700 /var/lib/rankwarden-agent; touch /var/lib/rankwarden-agent/copied")
	files, err := filepath.Glob(r.Path("/var/lib/rankwarden-agent/*.json"))
	require.NoError(t, err)
	for _, f := range append(files, r.Path("/etc/passwd"), r.Path("/etc/shadow"), r.Path("/etc/group"),
		r.Path("/etc/gshadow"), r.Path("/etc/machine-id")) {
		data, err := os.ReadFile(f)
		require.NoError(t, err)
		to := "/var/lib/rankwarden-agent/" + filepath.Base(f)
		if filepath.Ext(f) == "" {
			to = "/etc/" + filepath.Base(f)
		}
		require.NoError(t, os.WriteFile(twin.Path(to), data, 0o600))
	}
	twin.sh("chmod 644 /etc/passwd /etc/group /etc/machine-id")
	changed := len(s.events(client.EventQuery{Kind: "password_changed"}))
	s.begins(r)
	s.begins(twin)

	s.until(func() bool { return waitsFor(s, "copied") })
	d, err := s.owner.Device(t.Context(), name)
	require.NoError(t, err)
	assert.Equal(t, "retired", d.State)
	assert.LessOrEqual(t, len(s.events(client.EventQuery{Kind: "password_changed"})), changed+2)
	for _, m := range []*real{r, twin} {
		_, err := m.Run(t.Context(), agentLine+s.URL+" --once --state /var/lib/rankwarden-agent")
		require.ErrorContains(t, err, "another agent works", "one agent is enough for a machine")
	}

	// One of them is gone, and the other enrols again.
	twin.sh("pkill -9 rankwarden-agen; while pgrep rankwarden-agen >/dev/null; do sleep 0.02; done; " +
		"rankwarden-agent generalise")
	assert.NoFileExists(t, twin.Path("/var/lib/rankwarden-agent/agent.json"))
	s.enrols(twin)
	s.until(func() bool { return !waitsFor(s, "copied") })
}
