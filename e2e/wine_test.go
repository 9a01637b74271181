package e2e

import (
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// randomness is a library of Windows that Go's programs draw from, and that older Wines lack.
const randomness = `#include <windows.h>
BOOLEAN NTAPI SystemFunction036(PVOID, ULONG);
__declspec(dllexport) BOOL WINAPI ProcessPrng(PBYTE data, SIZE_T size) { return SystemFunction036(data, (ULONG)size); }
`

// wine runs programs of Windows.
type wine struct {
	t   *testing.T
	dir string
}

func startWine(t *testing.T) *wine {
	for _, tool := range []string{"wine", "x86_64-w64-mingw32-gcc", "wixl", "msibuild"} {
		if _, err := exec.LookPath(tool); err != nil {
			if os.Getenv("CI_RUN") != "" {
				require.NoError(t, err)
			}
			t.Skipf("%s is missing; install it with: scripts/install windows", tool)
		}
	}
	w := &wine{t: t, dir: t.TempDir()}
	w.run("wineboot", "--init")
	t.Cleanup(func() { _ = w.command("wineserver", "--kill", "--wait").Run() }) // it may have ended by itself
	source := filepath.Join(w.dir, "randomness.c")
	require.NoError(t, os.WriteFile(source, []byte(randomness), 0o600))
	library := filepath.Join(w.dir, "prefix/drive_c/windows/system32/bcryptprimitives.dll")
	w.run("x86_64-w64-mingw32-gcc", "-shared", "-o", library, source, "-ladvapi32")
	return w
}

// command is a program of this machine, wine among them.
func (w *wine) command(name string, args ...string) *exec.Cmd {
	cmd := exec.Command(name, args...)
	cmd.Dir = w.dir
	cmd.Env = append(os.Environ(), "WINEPREFIX="+filepath.Join(w.dir, "prefix"), "WINEDEBUG=-all", "HOME="+w.dir,
		"WINEDLLOVERRIDES=mscoree,mshtml=")
	return cmd
}

// run runs one, and gives what it wrote.
func (w *wine) run(name string, args ...string) string {
	out, err := w.command(name, args...).CombinedOutput()
	require.NoError(w.t, err, "%s %v: %s", name, args, out)
	return string(out)
}

// builds builds for Windows; args are those of go.
func (w *wine) builds(args ...string) {
	cmd := exec.Command("go", args...)
	cmd.Dir = ".."
	cmd.Env = append(os.Environ(), "GOOS=windows", "CGO_ENABLED=0")
	out, err := cmd.CombinedOutput()
	require.NoError(w.t, err, string(out))
}

// The agent for Windows starts, makes the calls that Wine has, and keeps a workstation with the service. Whether a real
// Windows carries out what it is told is what host-check finds out there.
func TestTheAgentForWindows(t *testing.T) {
	s := startQuick(t)
	w := startWine(t)
	tests, agent := filepath.Join(w.dir, "win32.test.exe"), filepath.Join(w.dir, "agent.exe")
	w.builds("test", "-c", "-o", tests, "./internal/agent/host/windows/win32")
	w.builds("build", "-o", agent, "./cmd/rankwarden-agent")
	assert.Contains(t, w.run("wine", tests, "-test.v"), "\nPASS")
	assert.Contains(t, w.run("wine", agent, "--version"), "rankwarden-agent version ")
	assert.Contains(t, w.run("wine", agent, "set-up", "--help"), "Windows service")
	state := []string{"--host", "simulated", "--name", "SKL-OFF-777", "--state", `C:\agent`}
	assert.Contains(t, w.run("wine", append([]string{agent, "host-check"}, state...)...), "22 of 22 hold.")

	s.publish("base", mooringOnly, 500, "everything")
	require.NoError(t, os.WriteFile(filepath.Join(w.dir, "token"), []byte(s.enrolmentToken(1)), 0o600))
	line := append([]string{agent, "--once", "--service", s.URL, "--token-file", "token"}, state...)
	w.run("wine", line...)
	s.settled()
	s.until(func() bool {
		w.run("wine", line...)
		return s.why("SKL-OFF-777").Device.Standing == "in_step"
	})
	assert.NotEmpty(t, s.current("SKL-OFF-777"))
}

// The installer package puts program, service and settings in place, an upgrade keeps the settings, and nothing but
// them outlives it. Whether the service starts is seen on a real Windows.
func TestTheInstallerForWindows(t *testing.T) {
	beside(t)
	w := startWine(t)
	for _, version := range []string{"0.14.0", "0.14.1"} {
		cmd := exec.Command("../scripts/packages", "amd64")
		cmd.Env = append(os.Environ(), "VERSION="+version, "OUT="+w.dir, "ONLY=windows")
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, string(out))
	}
	installs := func(version string, args ...string) error {
		return w.command("wine", append([]string{"msiexec", "/i", "rankwarden-agent_" + version + "_amd64.msi", "/qn",
			"NOSTART=1"}, args...)...).Run()
	}
	program := filepath.Join(w.dir, "prefix/drive_c/Program Files/Rank Warden/rankwarden-agent.exe")
	settings := func() string { return w.run("wine", "reg", "query", `HKLM\SOFTWARE\Rank Warden\Agent`) }

	require.Error(t, installs("0.14.0"), "without an address")
	require.NoFileExists(t, program)
	require.NoError(t, installs("0.14.0", "SERVICE=https://warden.skerryline.example", `TOKENFILE=C:\token`))
	require.FileExists(t, program)
	assert.Regexp(t, `Service\s+REG_SZ\s+https://warden.skerryline.example`, settings())
	assert.Regexp(t, `TokenFile\s+REG_SZ\s+C:\\token`, settings())
	service := w.run("wine", "reg", "query", `HKLM\SYSTEM\CurrentControlSet\Services\rankwarden-agent`)
	assert.Contains(t, service, `rankwarden-agent.exe`)
	assert.Contains(t, service, "LocalSystem")

	before := settings()
	require.NoError(t, installs("0.14.1"), "an upgrade needs no address")
	assert.Equal(t, before, settings())
	require.FileExists(t, program)
	assert.Error(t, installs("0.14.0", "SERVICE=https://elsewhere.skerryline.example"), "no way back")
	w.run("wine", "msiexec", "/x", "rankwarden-agent_0.14.1_amd64.msi", "/qn")
	assert.NoFileExists(t, program)
	assert.Equal(t, before, settings(), "settings stay")
	assert.Error(t, w.command("wine", "reg", "query", `HKLM\SYSTEM\CurrentControlSet\Services\rankwarden-agent`).Run())
}
