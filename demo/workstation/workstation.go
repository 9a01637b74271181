//go:build linux

package workstation

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
)

const namespaces = syscall.CLONE_NEWNS | syscall.CLONE_NEWPID | syscall.CLONE_NEWUTS | syscall.CLONE_NEWIPC

// Workstation is one that runs.
type Workstation struct {
	Name string

	init *exec.Cmd
	life io.Closer // the workstation runs until this is closed
	// group is the control group of one that boots.
	group string
}

// mounted is how the first program of a workstation begins, before it enters its root: $1 the shared root, $2 a
// directory for what is changed, $3 where all is mounted, $4 the name.
const mounted = `set -e
mount --make-rprivate /
[ -n "$2" ] || { mount -t tmpfs -o mode=755 disk "$3"; mkdir "$3/disk" "$3/root"; }
disk=${2:-$3/disk}; root=$3/root
mkdir -p "$disk/upper" "$disk/work" "$root"
mount -t overlay -o "lowerdir=$1,upperdir=$disk/upper,workdir=$disk/work" overlay "$root"
mount -t proc proc "$root/proc"
mount -t tmpfs -o mode=755 run "$root/run"
mkdir -p "$root/run/lock"
echo "$4" > "$root/etc/hostname"
[ -s "$root/etc/machine-id" ] || tr -d - < /proc/sys/kernel/random/uuid > "$root/etc/machine-id"
hostname "$4"
cp --remove-destination -L /etc/resolv.conf "$root/etc/resolv.conf" 2>/dev/null || true
`

// boot is the first program of a workstation that runs nothing but what it is told to.
const boot = mounted + `
mount --rbind /dev "$root/dev"
touch "$root/run/utmp" "$root/var/log/wtmp"
exec chroot "$root" /bin/bash -c 'echo ready; while read -r line; do :; done'
`

// Start starts a workstation over the shared root. What it changes is kept in a directory, from which it can be started
// again; without one it is kept in memory, and gone with it.
func Start(ctx context.Context, root, disk, name string) (*Workstation, error) {
	w, err := begin(root, disk, name, boot, "")
	if err == nil {
		context.AfterFunc(ctx, func() { _ = w.life.Close() })
	}
	return w, err
}

// begin begins a workstation with a script.
func begin(root, disk, name, script, group string) (*Workstation, error) {
	at, err := os.MkdirTemp("", "workstation-")
	if err != nil {
		return nil, err
	}
	w := &Workstation{Name: name, group: group}
	w.init = exec.Command("/bin/bash", "-c", script, "boot", root, disk, at, name, group)
	w.init.SysProcAttr = &syscall.SysProcAttr{Cloneflags: namespaces}
	if group != "" { // a system that boots reads nothing whose end would end it
		w.init.SysProcAttr.Pdeathsig = syscall.SIGKILL
	}
	var complaint strings.Builder
	w.init.Stderr = &complaint
	life, err := w.init.StdinPipe()
	if err != nil {
		return nil, err
	}
	w.life = life
	out, err := w.init.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := w.init.Start(); err != nil {
		return nil, fmt.Errorf("starting workstation %s: %w", name, err)
	}
	said, err := bufio.NewReader(out).ReadString('\n')
	if said != "ready\n" {
		return nil, errors.Join(fmt.Errorf("starting workstation %s: %s", name, complaint.String()), err, w.Stop())
	}
	return w, nil
}

// Enter is the command with which somebody on this machine enters the workstation, as root.
func (w *Workstation) Enter() string {
	return strings.Join(append([]string{"nsenter"}, w.inside()...), " ") + " /bin/bash"
}

func (w *Workstation) inside() []string {
	args := []string{
		"--target",
		strconv.Itoa(w.init.Process.Pid),
		"--mount",
		"--pid",
		"--uts",
		"--ipc",
		"--root",
		"--wdns=/",
	}
	if w.group != "" {
		args = append(args, "--cgroup")
	}
	return args
}

// Command is a program that runs in the workstation, as root.
func (w *Workstation) Command(ctx context.Context, name string, args ...string) *exec.Cmd {
	cmd := exec.CommandContext(ctx, "nsenter", append(append(w.inside(), "--", name), args...)...)
	cmd.Env = []string{
		"PATH=/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin",
		"HOME=/root",
		"LC_ALL=C.UTF-8",
	}
	return cmd
}

// Run runs a script of the shell in the workstation, and gives what it wrote.
func (w *Workstation) Run(ctx context.Context, script string) (string, error) {
	out, err := w.Command(ctx, "/bin/sh", "-ec", script).CombinedOutput()
	if err != nil {
		err = fmt.Errorf("%s: %w: %s", w.Name, err, out)
	}
	return string(out), err
}

// Path is a file of the workstation, as it is seen from outside while it runs.
func (w *Workstation) Path(of string) string {
	return filepath.Join("/proc", strconv.Itoa(w.init.Process.Pid), "root", of)
}

// Install puts a program of this machine into the workstation.
func (w *Workstation) Install(from, to string) error {
	data, err := os.ReadFile(from)
	if err != nil {
		return err
	}
	return w.Put(to, data, 0o755)
}

// Put writes a file of the workstation.
func (w *Workstation) Put(to string, data []byte, mode os.FileMode) error {
	return os.WriteFile(w.Path(to), data, mode)
}

// InstallAgent puts the agent's programs, from a directory of this machine, into the workstation.
func (w *Workstation) InstallAgent(programs string) error {
	for _, name := range []string{"rankwarden-agent", "rankwarden-pam"} {
		if err := w.Install(filepath.Join(programs, name), "/usr/bin/"+name); err != nil {
			return err
		}
	}
	return nil
}

// Stop cuts the power: everything in the workstation ends at once.
func (w *Workstation) Stop() error {
	_ = w.life.Close()
	if err := w.init.Process.Kill(); err != nil && !errors.Is(err, os.ErrProcessDone) {
		return err
	}
	_ = w.init.Wait() // that it was killed is no news
	if w.group != "" {
		return removeGroup(w.group)
	}
	return nil
}
