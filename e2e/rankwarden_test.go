package e2e

import (
	"os"
	"os/exec"
	"path/filepath"

	"github.com/stretchr/testify/require"

	"rankwarden.example/client"
)

// rankwarden runs the command line as the owner, and gives all that it printed.
func (s *service) rankwarden(args ...string) string {
	s.t.Helper()
	out, err := s.tried(args...)
	require.NoError(s.t, err, "%v: %s", args, out)
	return out
}

// tried is the same where it may fail.
func (s *service) tried(args ...string) (string, error) {
	s.t.Helper()
	return s.triedAs(s.owner, args...)
}

// triedAs runs it as somebody.
func (s *service) triedAs(who *client.Client, args ...string) (string, error) {
	s.t.Helper()
	token, err := who.CreateToken(s.t.Context(), "command line", "", 1)
	require.NoError(s.t, err)
	cmd := exec.CommandContext(s.t.Context(), filepath.Join(binaries, "rankwarden"), args...)
	cmd.Env = append(os.Environ(), "RANKWARDEN_SERVER="+s.URL, "RANKWARDEN_TOKEN="+token.Secret, "HOME="+s.t.TempDir())
	out, err := cmd.CombinedOutput()
	return string(out), err
}
