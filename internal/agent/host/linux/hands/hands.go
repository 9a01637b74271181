//go:build linux

// Package hands is what somebody does at a workstation with Linux: signing in at a terminal, changing a password,
// letting time go by. It types into the system's own programs, as a person would.
package hands

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"sync"
	"syscall"
	"time"

	"github.com/creack/pty"
)

// Hands work at one device.
type Hands struct {
	// Command is a program of the device, as root.
	Command func(ctx context.Context, name string, args ...string) *exec.Cmd
	// Tallies are the directories in which the device counts wrong passwords, as they are seen from here.
	Tallies []string
}

// TallyDirs are where a device counts wrong passwords, until it is restarted or for longer.
var TallyDirs = []string{"/run/faillock", "/var/lib/faillock"}

// Here are the hands at the machine that this runs on.
func Here() Hands {
	return Hands{Command: exec.CommandContext, Tallies: TallyDirs}
}

// ErrRefused is given when the device did not let somebody in, or did not take a password.
var ErrRefused = errors.New("refused")

// patience is how long a program may take to say something. It is long, since a machine may be busy.
const patience = 2 * time.Minute

// hungUp is how long is waited before a terminal that was hung up is read again.
const hungUp = 10 * time.Millisecond

// SignIn signs in with login(1), and out again.
func (h Hands) SignIn(ctx context.Context, name, password string) error {
	t, err := h.enter(ctx, name, password)
	if t != nil {
		defer t.end()
	}
	if err != nil {
		return err
	}
	t.say("exit")
	t.wait()
	return nil
}

// Stay signs in and stays; there says whether the person is still signed in.
func (h Hands) Stay(ctx context.Context, name, password string) (there func() bool, err error) {
	t, err := h.enter(ctx, name, password)
	if err != nil {
		if t != nil {
			t.end()
		}
		return nil, err
	}
	return t.running, nil
}

var (
	asksPassword = regexp.MustCompile(`assword: ?$`)
	prompts      = regexp.MustCompile(`(?m)(^|~)[$#] `)
	turnedAway   = regexp.MustCompile(
		`(?i)login incorrect|permission denied|expired|locked|authentication failure|maximum number of tries|required to change`,
	)
	changed   = regexp.MustCompile(`(?i)updated successfully`)
	unchanged = regexp.MustCompile(
		`(?i)bad password[^\r\n]*|must wait[^\r\n]*|has been already used[^\r\n]*|unchanged|manipulation error|too short|authentication failure`,
	)
)

func (h Hands) enter(ctx context.Context, name, password string) (*terminal, error) {
	t, err := start(h.Command(ctx, "login", "--", name))
	if err != nil {
		return nil, err
	}
	switch at, err := t.expect(asksPassword, turnedAway); {
	case err != nil:
		return t, fmt.Errorf("login: %w", err)
	case at == 1:
		return t, fmt.Errorf("%w: login: %s", ErrRefused, t.last())
	}
	t.say(password)
	if at, err := t.expect(prompts, turnedAway); err != nil {
		return t, fmt.Errorf("login: %w", err)
	} else if at == 1 {
		return t, fmt.Errorf("%w: login: %s", ErrRefused, t.last())
	}
	return t, nil
}

// Change changes a password with passwd(1), as its owner.
func (h Hands) Change(ctx context.Context, name, old, password string) error {
	t, err := start(h.Command(ctx, "su", name, "--session-command", "passwd"))
	if err != nil {
		return err
	}
	defer t.end()
	for _, answer := range []string{old, password, password} {
		switch at, err := t.expect(asksPassword, unchanged); {
		case err != nil:
			return fmt.Errorf("passwd: %w", err)
		case at == 1:
			return fmt.Errorf("%w: passwd: %s", ErrRefused, t.last())
		}
		t.say(answer)
	}
	if at, err := t.expect(changed, unchanged); err != nil {
		return fmt.Errorf("passwd: %w", err)
	} else if at == 1 {
		return fmt.Errorf("%w: passwd: %s", ErrRefused, t.last())
	}
	return nil
}

// Sizes of a record of wrong passwords, in bytes; see tally.h of Linux-PAM.
const (
	tallyBytes = 64
	tallyTime  = 56
)

// Later makes what is counted older, as if time had gone by.
func (h Hands) Later(d time.Duration) error {
	var files []string
	for _, dir := range h.Tallies {
		found, err := filepath.Glob(filepath.Join(dir, "*"))
		if err != nil {
			return err
		}
		files = append(files, found...)
	}
	for _, f := range files {
		data, err := os.ReadFile(f)
		if err != nil {
			return err
		}
		for at := 0; at+tallyBytes <= len(data); at += tallyBytes {
			when := data[at+tallyTime:]
			binary.NativeEndian.PutUint64(when, binary.NativeEndian.Uint64(when)-uint64(d/time.Second))
		}
		if err := os.WriteFile(f, data, 0o660); err != nil {
			return err
		}
	}
	return nil
}

// terminal is a program at a terminal.
type terminal struct {
	cmd  *exec.Cmd
	tty  *os.File
	done chan struct{} // closed when the program has ended and all was read

	mu     sync.Mutex
	told   bytes.Buffer // since the last thing that was expected
	matter string       // what matched last
	fresh  chan struct{}
}

func start(cmd *exec.Cmd) (*terminal, error) {
	cmd.Env = append(cmd.Environ(), "LC_ALL=C", "TERM=dumb")
	tty, err := pty.Start(cmd)
	if err != nil {
		return nil, err
	}
	t := &terminal{cmd: cmd, tty: tty, done: make(chan struct{}), fresh: make(chan struct{}, 1)}
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		_ = cmd.Wait() // how it ended does not matter: what it said does
	}()
	go t.listen(ended)
	return t, nil
}

// listen keeps what the program says until it has ended.
func (t *terminal) listen(ended <-chan struct{}) {
	defer close(t.done)
	piece := make([]byte, 1024)
	for {
		n, err := t.tty.Read(piece)
		t.mu.Lock()
		t.told.Write(piece[:n])
		t.mu.Unlock()
		select {
		case t.fresh <- struct{}{}:
		default:
		}
		if err == nil {
			continue
		}
		// A login(1) that hangs the terminal up takes it again; until then nothing can be read, see vhangup(2).
		select {
		case <-ended:
			return
		case <-time.After(hungUp):
		}
	}
}

func (t *terminal) say(line string) { _, _ = t.tty.WriteString(line + "\n") } // a program that ended says so to expect

// expect waits until the program says one of several things, and gives which.
func (t *terminal) expect(any ...*regexp.Regexp) (int, error) {
	given := time.NewTimer(patience)
	defer given.Stop()
	for ended := false; ; {
		t.mu.Lock()
		which, found := earliest(t.told.Bytes(), any)
		if which >= 0 {
			t.matter = string(t.told.Bytes()[found[0]:found[1]])
			t.told.Next(found[1])
			t.mu.Unlock()
			return which, nil
		}
		said := t.told.String()
		t.mu.Unlock()
		if ended {
			return 0, fmt.Errorf("%w: it ended with %q", ErrRefused, said)
		}
		select {
		case <-t.fresh:
		case <-t.done:
			ended = true
		case <-given.C:
			return 0, fmt.Errorf("it said nothing more after %q", said)
		}
	}
}

// earliest is what comes first in a text, and where; -1 for nothing.
func earliest(text []byte, any []*regexp.Regexp) (which int, found []int) {
	which = -1
	for i, want := range any {
		if at := want.FindIndex(text); at != nil && (which < 0 || at[0] < found[0]) {
			which, found = i, at
		}
	}
	return which, found
}

func (t *terminal) last() string { return t.matter }

func (t *terminal) running() bool {
	select {
	case <-t.done:
		return false
	default:
		return true
	}
}

// wait waits for the program to end by itself.
func (t *terminal) wait() {
	select {
	case <-t.done:
	case <-time.After(patience):
	}
}

// end ends the program, and what it started at the terminal.
func (t *terminal) end() {
	if t.running() {
		_ = syscall.Kill(-t.cmd.Process.Pid, syscall.SIGKILL) // it leads a session of its own, see pty(7)
	}
	<-t.done
	_ = t.tty.Close()
}
