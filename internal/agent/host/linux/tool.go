//go:build linux

package linux

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"rankwarden.example/internal/agent/host"
)

// Tools runs programs of the system.
type Tools struct {
	Dirs  []string      // where programs are looked for, in order
	Limit time.Duration // how long one may take
	Env   []string      // beside what every program gets
}

// SystemTools are those that every Debian has, with half a minute for each.
var SystemTools = Tools{Dirs: []string{"/usr/sbin", "/usr/bin", "/sbin", "/bin"}, Limit: 30 * time.Second}

// Errors of tools.
var (
	// ErrMissing is given when the device lacks a program.
	ErrMissing = fmt.Errorf("%w: a program is missing", host.ErrUnsupported)
	// ErrSlow is given when a program did not end in time, and was ended.
	ErrSlow = errors.New("it did not end in time and was stopped")
)

// mostOutput bounds what is read of a program, in bytes.
const mostOutput = 4 << 20

// find is the path of a program.
func (t Tools) find(name string) (string, error) {
	for _, dir := range t.Dirs {
		path := filepath.Join(dir, name)
		if info, err := os.Stat(path); err == nil && info.Mode().IsRegular() && info.Mode()&0o111 != 0 {
			return path, nil
		}
	}
	return "", fmt.Errorf("%w: %s", ErrMissing, name)
}

// has reports whether the device has a program.
func (t Tools) has(name string) bool {
	_, err := t.find(name)
	return err == nil
}

// run runs a program to its end, and gives what it wrote. Secrets go through stdin, never through args, which everybody
// on the device can read.
func (t Tools) run(ctx context.Context, stdin, name string, args ...string) (string, error) {
	path, err := t.find(name)
	if err != nil {
		return "", err
	}
	return t.runFile(ctx, stdin, path, args...)
}

// runFile is [Tools.run] of the program in a file.
func (t Tools) runFile(ctx context.Context, stdin, path string, args ...string) (string, error) {
	name := filepath.Base(path)
	limited, cancel := context.WithTimeout(ctx, t.Limit)
	defer cancel()
	cmd := exec.CommandContext(limited, path, args...)
	cmd.Env = []string{
		"PATH=" + strings.Join(t.Dirs, ":"),
		"LC_ALL=C",
		"TZ=UTC",
		"DEBIAN_FRONTEND=noninteractive",
		"HOME=/",
	}
	cmd.Env = append(cmd.Env, t.Env...)
	cmd.Dir = "/"
	cmd.Stdin = strings.NewReader(stdin)
	out, complaint := &bounded{left: mostOutput}, &bounded{left: 4 << 10}
	cmd.Stdout, cmd.Stderr = out, complaint
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	cmd.Cancel = func() error { return syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) } // what it started, too
	cmd.WaitDelay = time.Second
	switch err := cmd.Run(); {
	case ctx.Err() != nil:
		return "", ctx.Err()
	case limited.Err() != nil:
		return "", fmt.Errorf("%s: %w (%s)", name, ErrSlow, t.Limit)
	case err != nil:
		return out.String(), &ToolError{
			Tool:   name,
			Status: cmd.ProcessState.ExitCode(),
			Said:   said(complaint.String(), out.String()),
			why:    err,
		}
	}
	return out.String(), nil
}

// ToolError is a program that ended with a complaint.
type ToolError struct {
	Tool   string
	Status int    // of its exit
	Said   string // the last line that it wrote
	why    error
}

func (e *ToolError) Error() string {
	if e.Said == "" {
		return fmt.Sprintf("%s: %v", e.Tool, e.why)
	}
	return fmt.Sprintf("%s: %s", e.Tool, e.Said)
}

// said is what a program complained of: its first line, without its own name, and the next where that ends with a
// colon.
func said(texts ...string) (line string) {
	for _, text := range texts {
		for next := range strings.Lines(text) {
			if next = strings.TrimSpace(next); next == "" {
				continue
			}
			if line != "" {
				return line + " " + next
			}
			line = next
			before, after, found := strings.Cut(line, ": ")
			if found && !strings.Contains(before, " ") {
				line = after
			}
			if !strings.HasSuffix(line, ":") {
				return line
			}
		}
	}
	return line
}

// bounded keeps the beginning of what is written.
type bounded struct {
	kept bytes.Buffer
	left int
}

func (b *bounded) Write(p []byte) (int, error) {
	n := min(len(p), b.left)
	b.left -= n
	b.kept.Write(p[:n])
	return len(p), nil
}

func (b *bounded) String() string { return b.kept.String() }
