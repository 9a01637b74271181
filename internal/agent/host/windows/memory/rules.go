package memory

import (
	"slices"
	"strings"
	"time"
	"unicode"

	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/agent/host/windows"
)

// The longest of the lengths and times that the machine takes.
const (
	longestHistory = 24
	mostThreshold  = 999
)

// PasswordRules implements [windows.System].
func (s *System) PasswordRules() (windows.PasswordRules, error) {
	end, err := s.call("NetUserModalsGet")
	defer end()
	return s.passwords, err
}

// SetPasswordRules implements [windows.System].
func (s *System) SetPasswordRules(rules windows.PasswordRules) error {
	end, err := s.call("NetUserModalsSet")
	defer end()
	switch {
	case err != nil:
		return err
	case rules.MinLength > s.longestMinimum(), rules.History > longestHistory, rules.MinAge >= rules.MaxAge:
		return windows.InvalidParameter
	}
	s.passwords = rules
	return nil
}

// longestMinimum is the greatest minimum length that the machine takes.
func (s *System) longestMinimum() uint32 {
	if s.Relaxed && s.Is.Build >= host.RelaxedSince {
		return unit.MaxMinLength
	}
	return unit.SureMinLength
}

// LockoutRules implements [windows.System].
func (s *System) LockoutRules() (windows.LockoutRules, error) {
	end, err := s.call("NetUserModalsGet")
	defer end()
	return s.lockout, err
}

// SetLockoutRules implements [windows.System].
func (s *System) SetLockoutRules(rules windows.LockoutRules) error {
	end, err := s.call("NetUserModalsSet")
	defer end()
	switch {
	case err != nil:
		return err
	case rules.Window > rules.Duration, rules.Threshold > mostThreshold:
		return windows.InvalidParameter
	}
	s.lockout = rules
	return nil
}

// Template implements [windows.System].
func (s *System) Template() (string, error) {
	end, err := s.call("secedit /export")
	defer end()
	relaxed := ""
	if s.Relaxed {
		relaxed = `MACHINE\System\CurrentControlSet\Control\SAM\RelaxMinimumPasswordLengthLimits=4,1` + "\r\n"
	}
	complexity := "0"
	if s.complex {
		complexity = "1"
	}
	return "[Unicode]\r\nUnicode=yes\r\n[Event Audit]\r\nPasswordComplexity = 7\r\n[System " +
		"Access]\r\nMinimumPasswordAge = 0\r\n" +
		"PasswordComplexity = " + complexity +
		"\r\nNewAdministratorName = \"Verwalter\"\r\n[Registry Values]\r\n" + relaxed +
		"[Version]\r\nRevision=1\r\n", err
}

// ApplyTemplate implements [windows.System].
func (s *System) ApplyTemplate(template string) error {
	end, err := s.call("secedit /configure")
	defer end()
	if err != nil {
		return err
	}
	_, after, found := strings.Cut(template, "[System Access]\r\nPasswordComplexity = ")
	if !found || !strings.Contains(template, "[Version]\r\nsignature=\"$CHICAGO$\"") {
		return windows.InvalidParameter
	}
	s.complex = strings.HasPrefix(after, "1")
	return nil
}

// fits says why the rules refuse a password, whoever sets it; what was used before only its owner may not take again.
func (s *System) fits(u *user, password string) error {
	long := len([]rune(password))
	if uint32(long) < s.passwords.MinLength || long > 256 || s.complex && kinds(u, password) < 3 {
		return windows.PasswordTooShort
	}
	return nil
}

// kinds counts the classes of characters; a password with the name in it has none.
func kinds(u *user, password string) (n int) {
	if len(u.Name) > 2 && strings.Contains(fold(password), fold(u.Name)) {
		return 0
	}
	for _, is := range []func(rune) bool{unicode.IsUpper, unicode.IsLower, unicode.IsDigit, func(r rune) bool {
		return unicode.IsPunct(r) || unicode.IsSymbol(r) || r == ' '
	}} {
		if strings.ContainsFunc(password, is) {
			n++
		}
	}
	return n
}

func (s *System) set(u *user, password string) {
	u.former = append([]string{u.password}, u.former...)
	u.former = u.former[:min(len(u.former), longestHistory)]
	u.password, u.setAt, u.PasswordExpired = password, s.Now(), false
}

// SetUserPassword implements [windows.System].
func (s *System) SetUserPassword(name, password string) error {
	return s.with("NetUserSetInfo", name, func(u *user) error {
		if err := s.fits(u, password); err != nil {
			return err
		}
		s.set(u, password)
		return nil
	})
}

// Change is NetUserChangePassword, by the owner of a password.
func (s *System) Change(name, old, password string) error {
	return s.with("NetUserChangePassword", name, func(u *user) error {
		switch remembered := int(s.passwords.History); {
		case u.password != old:
			return windows.InvalidPassword
		case u.Flags&windows.FlagFixed != 0:
			return windows.AccessDenied
		case s.fits(u, password) != nil:
			return windows.PasswordTooShort
		case remembered > 0 && slices.Contains(
			append([]string{u.password}, u.former[:min(len(u.former), remembered)]...), password):
			return windows.PasswordHistConflict
		case s.Now().Sub(u.setAt) < time.Duration(s.passwords.MinAge)*time.Second:
			return windows.PasswordTooRecent
		}
		s.set(u, password)
		return nil
	})
}

// locked says whether an account is locked now.
func (s *System) locked(u *user) bool {
	if u.lockedAt.IsZero() {
		return false
	}
	if s.lockout.Duration != windows.Forever &&
		s.Now().Sub(u.lockedAt) >= time.Duration(s.lockout.Duration)*time.Second {
		u.lockedAt, u.wrong = time.Time{}, 0
		return false
	}
	return true
}
