package win32

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"
	"unicode/utf16"
	"unsafe"

	"golang.org/x/sys/windows"

	host "rankwarden.example/internal/agent/host/windows"
)

// modals reads the rules for all accounts at a level, and has them copied before their buffer is freed.
func modals[T any](level uintptr, read func(*T)) error {
	var buffer *byte
	if err := net(netUserModalsGet, 0, level, uintptr(unsafe.Pointer(&buffer))); err != nil {
		return err
	}
	read((*T)(unsafe.Pointer(buffer)))
	return windows.NetApiBufferFree(buffer)
}

// PasswordRules implements [host.System].
func (s *System) PasswordRules() (rules host.PasswordRules, err error) {
	err = modals(0, func(m *userModalsInfo0) {
		rules = host.PasswordRules{MinLength: m.MinPasswdLen, MaxAge: m.MaxPasswdAge, MinAge: m.MinPasswdAge,
			ForceLogoff: m.ForceLogoff, History: m.PasswordHistLen}
	})
	return rules, err
}

// SetPasswordRules implements [host.System].
func (s *System) SetPasswordRules(r host.PasswordRules) error {
	return net(
		netUserModalsSet,
		0,
		0,
		uintptr(unsafe.Pointer(&userModalsInfo0{r.MinLength, r.MaxAge, r.MinAge, r.ForceLogoff, r.History})),
		0,
	)
}

// LockoutRules implements [host.System].
func (s *System) LockoutRules() (rules host.LockoutRules, err error) {
	err = modals(3, func(m *userModalsInfo3) {
		rules = host.LockoutRules{Duration: m.Duration, Window: m.Window, Threshold: m.Threshold}
	})
	return rules, err
}

// SetLockoutRules implements [host.System].
func (s *System) SetLockoutRules(r host.LockoutRules) error {
	return net(netUserModalsSet, 0, 3, uintptr(unsafe.Pointer(&userModalsInfo3{r.Duration, r.Window, r.Threshold})), 0)
}

// Template implements [host.System].
func (s *System) Template() (string, error) {
	var template string
	err := s.secedit(func(dir string) error {
		path := filepath.Join(dir, "policy.inf")
		if err := seceditRun("/export", "/cfg", path, "/areas", "SECURITYPOLICY", "/quiet"); err != nil {
			return err
		}
		data, err := os.ReadFile(path)
		template = fromUTF16(data)
		return err
	})
	return template, err
}

// ApplyTemplate implements [host.System].
func (s *System) ApplyTemplate(template string) error {
	return s.secedit(func(dir string) error {
		path := filepath.Join(dir, "policy.inf")
		if err := os.WriteFile(path, toUTF16(template), 0o600); err != nil {
			return err
		}
		return seceditRun(
			"/configure",
			"/db",
			filepath.Join(dir, "policy.sdb"),
			"/cfg",
			path,
			"/areas",
			"SECURITYPOLICY",
			"/quiet",
		)
	})
}

// secedit does something with files that only the system can read or change: they lie in the agent's own directory,
// since whoever could change a template before it is applied could give himself any right.
func (s *System) secedit(do func(dir string) error) error {
	dir, err := os.MkdirTemp(s.dir, "policy-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	return do(dir)
}

// seceditPatience is how long the tool may take.
const seceditPatience = time.Minute

func seceditRun(args ...string) error {
	system, err := windows.GetSystemDirectory()
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(context.Background(), seceditPatience)
	defer cancel()
	out, err := exec.CommandContext(ctx, filepath.Join(system, "secedit.exe"), args...).CombinedOutput()
	if err != nil {
		return fmt.Errorf("secedit %s: %w: %s", args[0], err, strings.TrimSpace(fromUTF16(out)))
	}
	return nil
}

// mark is what a file in UTF-16 begins with.
var mark = []byte{0xff, 0xfe}

func toUTF16(text string) []byte {
	data := bytes.Clone(mark)
	for _, unit := range utf16.Encode([]rune(text)) {
		data = binary.LittleEndian.AppendUint16(data, unit)
	}
	return data
}

// fromUTF16 reads a file in UTF-16; one without its mark is taken as it is.
func fromUTF16(data []byte) string {
	rest, marked := bytes.CutPrefix(data, mark)
	if !marked {
		return string(data)
	}
	units := make([]uint16, len(rest)/2)
	for i := range units {
		units[i] = binary.LittleEndian.Uint16(rest[2*i:])
	}
	return string(utf16.Decode(units))
}
