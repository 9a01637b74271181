//go:build linux

package workstation

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"time"
)

// bootWhole is the first program of a workstation that boots, before the system's own; $5 is the name of its control
// group. Whatever it starts is in that group, and sees no other. Devices are its own; what would meet the other
// workstations and this machine on the network that they share does not start.
const bootWhole = mounted + `
mkdir "$3/groups"
mount -t cgroup2 groups "$3/groups"
mkdir -p "$3/groups/$5"
echo 0 > "$3/groups/$5/cgroup.procs"
mount -t sysfs -o ro sysfs "$root/sys"
mount -t tmpfs -o mode=755,nosuid dev "$root/dev"
for device in null zero full random urandom tty; do
  touch "$root/dev/$device"
  mount --bind "/dev/$device" "$root/dev/$device"
done
mkdir "$root/dev/pts" "$root/dev/shm"
mount -t devpts -o newinstance,ptmxmode=0666,mode=620,gid=5 devpts "$root/dev/pts"
ln -s pts/ptmx "$root/dev/ptmx"
ln -s /proc/self/fd "$root/dev/fd"
ln -s fd/0 "$root/dev/stdin"; ln -s fd/1 "$root/dev/stdout"; ln -s fd/2 "$root/dev/stderr"
for unit in ssh.service ssh.socket systemd-modules-load.service; do
  ln -sf /dev/null "$root/etc/systemd/system/$unit"
done
exec env -i container=workstation PATH=/usr/sbin:/usr/bin:/sbin:/bin unshare --cgroup /bin/sh -ec '
  mount -t cgroup2 groups "$1/sys/fs/cgroup"
  echo ready
  exec chroot "$1" /sbin/init' init "$root"
`

// Boot starts a workstation over a root of [Whole], and gives it when everything in it has started. Otherwise it is
// [Start]. What it changes is kept in memory. It also ends with the program that started it.
func Boot(ctx context.Context, root, name string) (*Workstation, error) {
	group := fmt.Sprintf("workstation-%d-%s", os.Getpid(), name)
	w, err := begin(root, "", name, bootWhole, group)
	if err != nil {
		return nil, err
	}
	for {
		// degraded: something that this machine does not permit did not start, the rest did
		said, err := w.Command(ctx, "systemctl", "is-system-running", "--wait").Output()
		if state := strings.TrimSpace(string(said)); state == "running" || state == "degraded" {
			return w, nil
		}
		select {
		case <-ctx.Done():
			return nil, errors.Join(fmt.Errorf("booting workstation %s: %w", name, err), ctx.Err(), w.Stop())
		case <-time.After(50 * time.Millisecond): // until it takes questions
		}
	}
}

// removeGroup removes the control groups that a workstation left.
func removeGroup(group string) error {
	at, err := os.MkdirTemp("", "workstation-")
	if err != nil {
		return err
	}
	defer os.Remove(at)
	if err := syscall.Mount("groups", at, "cgroup2", 0, ""); err != nil {
		return fmt.Errorf("removing the control groups of a workstation: %w", err)
	}
	defer func() { _ = syscall.Unmount(at, syscall.MNT_DETACH) }()
	var groups []string
	err = filepath.WalkDir(filepath.Join(at, group), func(path string, e fs.DirEntry, err error) error {
		if err == nil && e.IsDir() {
			groups = append(groups, path)
		}
		return err
	})
	for i := len(groups) - 1; i >= 0; i-- { // the innermost first
		err = errors.Join(err, os.Remove(groups[i]))
	}
	return err
}
