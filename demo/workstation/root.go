//go:build linux

package workstation

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"

	"github.com/gofrs/flock"
)

// System is what a root file system is made of: a release of Debian, and its packages beside the least that it can be.
type System struct {
	Release  string
	Packages []string
}

// Systems that workstations run.
var (
	// Plain runs nothing but what it is told to.
	Plain = System{"bookworm", plain}
	// Whole boots, see [Boot]: systemd with its sessions and its journal, servers, and caches of names.
	Whole = System{"trixie", append([]string{
		"at", "cron", "dbus", "libpam-systemd", "libsss-sudo", "locales", "nscd", "openssh-server", "sssd-ldap",
		"systemd", "systemd-sysv",
	}, plain...)}
)

var plain = []string{
	"bsdutils", "ca-certificates", "cracklib-runtime", "dpkg", "libnss-extrausers", "libpam-pwquality", "login",
	"pamtester", "passwd", "procps", "sudo", "util-linux",
}

// Missing says what keeps this machine from running workstations; nil is nothing.
func Missing() error {
	if os.Geteuid() != 0 {
		return errors.New("real workstations need root, for namespaces of their own")
	}
	if _, err := exec.LookPath("debootstrap"); err != nil {
		return errors.New("debootstrap is missing; install it with: scripts/install workstation")
	}
	probe := exec.Command("/bin/true")
	probe.SysProcAttr = &syscall.SysProcAttr{Cloneflags: namespaces}
	if err := probe.Run(); err != nil {
		return fmt.Errorf("this machine permits no namespaces: %w", err)
	}
	return nil
}

// Root gives the root file system of a system that workstations share; it is made once and kept below a directory.
// Making it takes a minute or two.
func (s System) Root(ctx context.Context, cache string) (string, error) {
	cache, err := filepath.Abs(cache)
	if err != nil {
		return "", err
	}
	sum := sha256.Sum256([]byte(strings.Join(s.Packages, ",")))
	root := filepath.Join(cache, "workstation-"+s.Release+"-"+hex.EncodeToString(sum[:4]))
	if err := os.MkdirAll(cache, 0o755); err != nil {
		return "", err
	}
	lock := flock.New(root + ".lock") // one makes it, others wait
	if err := lock.Lock(); err != nil {
		return "", err
	}
	defer func() { _ = lock.Unlock() }()
	if _, err := os.Stat(root); err == nil {
		return root, nil
	}
	mirror, err := mirror(ctx)
	if err != nil {
		return "", err
	}
	making := root + ".making"
	if err := os.RemoveAll(making); err != nil {
		return "", err
	}
	out, err := exec.CommandContext(ctx, "debootstrap", "--variant=minbase", "--include="+strings.Join(s.Packages, ","),
		s.Release, making, mirror).
		CombinedOutput()
	if err != nil {
		return "", fmt.Errorf("making the root file system: debootstrap: %w\n%s", err, out[max(0, len(out)-2000):])
	}
	// each gets one of its own
	if err := os.WriteFile(filepath.Join(making, "etc/machine-id"), nil, 0o644); err != nil {
		return "", err
	}
	archives, err := filepath.Glob(filepath.Join(making, "var/cache/apt/archives/*.deb"))
	if err != nil {
		return "", err
	}
	for _, path := range archives {
		if err := os.Remove(path); err != nil {
			return "", err
		}
	}
	return root, os.Rename(making, root)
}

// mirror is where this machine itself gets Debian's packages from.
func mirror(ctx context.Context) (string, error) {
	out, err := exec.CommandContext(ctx, "apt-get", "indextargets", "--format", "$(REPO_URI)", "Created-By: Packages",
		"Component: main").
		Output()
	if err != nil {
		return "", fmt.Errorf("finding where Debian's packages come from: apt-get indextargets: %w", err)
	}
	for line := range strings.Lines(string(out)) {
		if line = strings.TrimSpace(line); line != "" && !strings.Contains(line, "security") {
			return line, nil
		}
	}
	return "", errors.New("this machine has no source of Debian's packages; see sources.list(5)")
}
