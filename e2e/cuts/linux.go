//go:build linux

package cuts

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	real "rankwarden.example/demo/workstation"
	"rankwarden.example/internal/kit/pgcluster"
)

// tools are the programs of the system that change accounts; the power goes before or after a call of one.
var tools = []string{"chpasswd", "usermod", "groupmod", "useradd", "gpasswd", "unix_chkpwd", "userdel"}

// counter takes the place of a tool: it counts the calls of all, and says when it is the one at which the power goes.
const counter = `#!/bin/sh
n=$(cat /cuts/calls); echo $((n + 1)) > /cuts/calls
at=$(cat /cuts/at)
[ "$n.before" = "$at" ] && { echo > /cuts/now; exec sleep 1000; }
%[1]s.real "$@"; result=$?
[ "$n.after" = "$at" ] && { echo > /cuts/now; exec sleep 1000; }
exit $result
`

// mostCalls bounds the calls of tools that one change of a password makes.
const mostCalls = 12

// Linux takes a real workstation through changes of a password, and lets its power go before and after every call of a
// tool, and at moments that the seed draws. After each a password in escrow must open the account, and once the power
// is back the current one must.
func Linux(ctx context.Context, cluster *pgcluster.Cluster, root, agent string, seed uint64) (err error) {
	dir, err := os.MkdirTemp("", "rankwarden-cuts-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	w, err := newWorld(ctx, cluster, dir, seed)
	if err != nil {
		return err
	}
	defer w.close()
	l := &linux{world: w, root: root, disk: filepath.Join(dir, "disk"), agent: agent}
	if err := os.Mkdir(l.disk, 0o755); err != nil {
		return err
	}
	defer func() { err = errors.Join(err, l.Stop()) }()
	if err := l.prepare(); err != nil {
		return fmt.Errorf("seed %d: %w", seed, err)
	}
	for call := range mostCalls {
		for _, at := range []string{fmt.Sprintf("%d.before", call), fmt.Sprintf("%d.after", call), "drawn"} {
			reached, err := l.cut(at)
			if err != nil {
				return fmt.Errorf("seed %d, power cut at %s: %w", seed, at, err)
			}
			if !reached && at != "drawn" {
				return nil // the change has no more calls
			}
		}
	}
	return fmt.Errorf("seed %d: a change of a password called tools more than %d times", seed, mostCalls)
}

// linux is a real workstation beside the service of a world.
type linux struct {
	*real.Workstation
	world             *world
	root, disk, agent string
}

// boot gives the power back.
func (l *linux) boot() (err error) {
	l.Workstation, err = real.Start(l.world.ctx, l.root, l.disk, deviceName)
	return err
}

// prepare brings the workstation to where its policy holds.
func (l *linux) prepare() error {
	if err := l.boot(); err != nil {
		return err
	}
	if err := l.InstallAgent(filepath.Dir(l.agent)); err != nil {
		return err
	}
	script := "mkdir -p /cuts && echo 0 > /cuts/calls && echo never > /cuts/at\necho '" + l.world.token +
		"' > /etc/token\n"
	for _, tool := range tools {
		script += "path=$(command -v " + tool + "); mv $path $path.real\n"
	}
	if _, err := l.Run(l.world.ctx, script); err != nil {
		return err
	}
	for _, tool := range tools {
		path := "/usr/sbin/" + tool
		if _, err := os.Stat(l.Path(path + ".real")); err != nil {
			path = "/usr/bin/" + tool
		}
		if err := os.WriteFile(l.Path(path), fmt.Appendf(nil, counter, path), 0o755); err != nil {
			return err
		}
	}
	return l.quiet()
}

// turn is one turn of the agent with a service.
func (l *linux) turn(service string) *exec.Cmd {
	return l.Command(l.world.ctx, "rankwarden-agent", "--once", "--state", "/var/lib/rankwarden-agent", "--token-file",
		"/etc/token",
		"--service", service)
}

// cut has the password changed, and lets the power go; reached is false when the change ended first.
func (l *linux) cut(at string) (reached bool, err error) {
	if _, err := l.Run(l.world.ctx, "echo 0 > /cuts/calls; echo "+at+" > /cuts/at; rm -f /cuts/now"); err != nil {
		return false, err
	}
	if err := l.world.order(); err != nil {
		return false, err
	}
	turn := l.turn(l.world.server.URL)
	if err := turn.Start(); err != nil {
		return false, err
	}
	ended := make(chan error, 1)
	go func() { ended <- turn.Wait() }()
	drawn := make(<-chan time.Time)
	if at == "drawn" {
		drawn = time.After(time.Duration(l.world.rand.IntN(400)) * time.Millisecond)
	}
	look := time.NewTicker(5 * time.Millisecond)
	defer look.Stop()
	for waits := true; waits; {
		select {
		case <-ended:
			ended <- nil
			waits = false
		case <-drawn:
			waits = false
		case <-look.C:
			_, err := os.Stat(l.Path("/cuts/now"))
			reached = err == nil
			waits = !reached
		}
	}
	if err := l.Stop(); err != nil {
		return reached, err
	}
	<-ended
	if err := l.boot(); err != nil {
		return reached, err
	}
	if at != "drawn" {
		if err := l.lost(); err != nil {
			return reached, err
		}
	}
	if _, err := l.Run(l.world.ctx, "echo never > /cuts/at"); err != nil {
		return reached, err
	}
	// In the middle of a tool a file can be written and the next one not; the agent sees to that as soon as it starts,
	// with the service or without it.
	_ = l.turn("http://127.0.0.1:1").Run()
	if err := l.lost(); err != nil {
		return reached, err
	}
	return reached, l.quiet()
}

// mooring is the managed account, and whether it is an administrator.
func (l *linux) mooring() (name string, administrator bool, err error) {
	out, err := l.Run(l.world.ctx, `getent passwd | grep -o '^mooring-[0-9]*' || true; getent group sudo`)
	if err != nil {
		return "", false, err
	}
	lines := strings.Split(strings.TrimSpace(out), "\n")
	if len(lines) != 2 {
		return "", false, fmt.Errorf("there are %d managed accounts: %s", len(lines)-1, out)
	}
	return lines[0], strings.Contains(lines[1], lines[0]), nil
}

// opens reports whether a password is that of the account, as the system's own checker says.
func (l *linux) opens(name, password string) bool {
	cmd := l.Command(l.world.ctx, "/bin/sh", "-c",
		"unlocked=$(getent shadow "+name+" | cut -d: -f2); case $unlocked in !*) usermod.real -U "+name+
			" 2>/dev/null;; esac; exec unix_chkpwd.real "+name+" nonull")
	cmd.Stdin = strings.NewReader(password + "\x00")
	return cmd.Run() == nil
}

// lost says whether nothing in escrow opens the account.
func (l *linux) lost() error {
	name, _, err := l.mooring()
	if err != nil {
		return err
	}
	_, all, err := l.world.escrowed()
	if err != nil {
		return err
	}
	for _, password := range all {
		if l.opens(name, password) {
			return nil
		}
	}
	there, err := l.Run(l.world.ctx, "getent shadow "+name+
		"; ls -l /etc/*.lock /etc/*+ 2>&1; head /etc/*.lock 2>&1; ps ax")
	return errors.Join(fmt.Errorf("LOST: none of %d passwords in escrow opens %s; it has:\n%s", len(all), name, there),
		err)
}

// quiet lets everything come to rest, and checks that the current deposit opens the account.
func (l *linux) quiet() error {
	why := ""
	for range mostCycles {
		if out, err := l.turn(l.world.server.URL).CombinedOutput(); err != nil {
			why = string(out)
		}
		if err := l.world.server.Deploy.SettlePending(l.world.ctx); err != nil {
			return err
		}
		current, _, err := l.world.escrowed()
		if err != nil {
			return err
		}
		if current == "" {
			continue
		}
		name, administrator, err := l.mooring()
		if err != nil {
			why = err.Error()
		} else if administrator && l.opens(name, current) {
			return nil
		}
	}
	return fmt.Errorf("after %d quiet turns the current deposit does not open an administrator: %s", mostCycles, why)
}
