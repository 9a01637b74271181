package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"syscall"

	"rankwarden.example/client"
	"rankwarden.example/demo/workstation"
)

// realWorkstations starts workstations with a real Linux beside the simulated ones, each with the agent, and gives what
// cuts their power.
func (d *demoRun) realWorkstations(ctx context.Context, count int) (stop func(), err error) {
	var running []*workstation.Workstation
	stop = func() {
		for _, w := range running {
			if err := w.Stop(); err != nil {
				d.log.Error("a workstation does not stop", "name", w.Name, "error", err)
			}
		}
	}
	defer func() {
		if err != nil {
			stop()
		}
	}()
	if count == 0 {
		return stop, nil
	}
	if err := workstation.Missing(); err != nil {
		return stop, err
	}
	fmt.Fprintln(
		d.out,
		"Starting workstations with a real Linux; the first time, a root file system is made for them ...",
	)
	root, err := workstation.Plain.Root(ctx, filepath.Join(filepath.Dir(d.dir), ".cache"))
	if err != nil {
		return stop, err
	}
	for i := range count {
		name := fmt.Sprintf("SKL-INF-%d", 901+i)
		disk := filepath.Join(d.dir, realDir, name)
		if err := os.MkdirAll(disk, 0o755); err != nil {
			return stop, err
		}
		w, err := workstation.Start(ctx, root, disk, name)
		if err != nil {
			return stop, err
		}
		running = append(running, w)
		fmt.Fprintf(d.out, "  %s  to enter it: %s\n", name, w.Enter())
		if err := d.enrolReal(ctx, w); err != nil {
			return stop, fmt.Errorf("workstation %s: %w", name, err)
		}
	}
	return stop, nil
}

// believable is the past of a real workstation: the account of the signs, and two that nobody thinks of as
// administrators, who are in no group: one by a file that whoever set the machine up left, one by its number.
const believable = `mkdir -p /etc/rankwarden
getent passwd signage >/dev/null || useradd -m signage
getent passwd fitter >/dev/null || useradd -m -s /bin/bash fitter
getent passwd keelson >/dev/null || useradd -o -u 0 -g 0 -M -d /root -s /bin/bash keelson
echo 'fitter ALL=(ALL) NOPASSWD: ALL' > /etc/sudoers.d/fitter
`

// enrolReal gives a workstation a token where it has none, and starts its agent.
func (d *demoRun) enrolReal(ctx context.Context, w *workstation.Workstation) error {
	program, err := os.Executable()
	if err != nil {
		return err
	}
	if err := w.InstallAgent(filepath.Dir(program)); err != nil {
		return err
	}
	if _, err := os.Stat(w.Path("/etc/rankwarden/token")); errors.Is(err, os.ErrNotExist) {
		token, err := d.client.CreateEnrolmentToken(
			ctx,
			client.EnrolmentSpec{Note: "real workstation " + w.Name, Uses: 1, Hours: 24,
				Groups: []string{
					"passenger-screens",
				}, Path: "north/kirkness/passenger-screens", Tags: []string{"kiosk"}},
		)
		if err != nil {
			return err
		}
		if _, err := w.Run(ctx, believable); err != nil {
			return err
		}
		if err := os.WriteFile(w.Path("/etc/rankwarden/token"), []byte(token.Token+"\n"), 0o600); err != nil {
			return err
		}
	}
	agent := w.Command(ctx, "rankwarden-agent", "--service", d.server.URL, "--token-file", "/etc/rankwarden/token",
		"--state", "/var/lib/rankwarden-agent")
	agent.SysProcAttr = &syscall.SysProcAttr{Setpgid: true} // Ctrl-C stops the workstation, not what runs in it
	if err := agent.Start(); err != nil {
		return err
	}
	go func() { _ = agent.Wait() }() // it ends with the workstation
	return nil
}
