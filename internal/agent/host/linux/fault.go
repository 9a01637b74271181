//go:build linux

package linux

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"
)

// missing names the first line of a service whose module the device lacks, empty for none.
func (p pam) missing(service string, kinds ...string) string {
	for _, kind := range kinds {
		for _, l := range p.stack(service, kind) {
			if !l.quiet && !hasModule(l.module) {
				return fmt.Sprintf("%v: %s is not on this device", l, l.module)
			}
		}
	}
	return ""
}

// open names the line by which a service lets anybody in, empty where none is seen.
func (p pam) open(service string) string {
	for i, l := range p.stack(service, "auth") {
		if l.module == "pam_permit.so" && (i == 0 || l.lets(1)) {
			return fmt.Sprintf("%v: %s", l, l.module)
		}
	}
	return ""
}

// noLock says why wrong passwords lock nobody by a service.
func (p pam) noLock(service string) string {
	lines := p.stack(service, "auth")
	is := func(l pamLine) bool { return l.module == "pam_faillock.so" && !slices.Contains(l.args, "authsucc") }
	at := slices.IndexFunc(lines, is)
	if at < 0 {
		return fmt.Sprintf("%s does not call pam_faillock.so", shortPath(filepath.Join(pamDir, service)))
	}
	for i, l := range lines {
		if l.lets(len(lines)) && !is(l) && slices.ContainsFunc(lines[i:], is) {
			return fmt.Sprintf("%v: %s is enough, and stands above pam_faillock.so", l, l.module)
		}
	}
	return fmt.Sprintf("%v has no effect for %s", lines[at], service)
}

// noQuality says why new passwords are not checked as the settings say.
func (p pam) noQuality() string {
	lines := p.stack(changeService, "password")
	at := slices.IndexFunc(lines, func(l pamLine) bool { return l.module == "pam_pwquality.so" })
	if at < 0 {
		return fmt.Sprintf("%s does not call pam_pwquality.so", shortPath(filepath.Join(pamDir, changeService)))
	}
	l := lines[at]
	for _, key := range []string{"enforcing", "dcredit", "ucredit", "lcredit", "ocredit", "minlen", "minclass"} {
		if value, there := module(l.args).arg(key); there && loosens(key, value) {
			return fmt.Sprintf("%v: %s=%s", l, key, value)
		}
	}
	for _, path := range slices.Backward(qualityFiles()) {
		number := 0
		for line := range strings.Lines(string(readOr(path))) {
			number++
			for key, value := range assignments(line, "=") {
				if loosens(key, value) {
					return fmt.Sprintf("%s line %d: %s = %s", shortPath(path), number, key, value)
				}
			}
		}
	}
	return fmt.Sprintf("%v", l)
}

// loosens reports whether a setting of pwquality.conf(5) has less checked.
func loosens(key, value string) bool {
	switch key {
	case "enforcing":
		return natural(value) == 0
	case "dcredit", "ucredit", "lcredit", "ocredit":
		return natural(value) > 0
	}
	return false
}

// noHistory says why former passwords are taken again.
func (p pam) noHistory() string {
	for _, l := range p.stack(changeService, "password") {
		if l.module == "pam_pwhistory.so" || l.module == "pam_unix.so" && slices.ContainsFunc(l.args,
			func(a string) bool { return strings.HasPrefix(a, "remember=") }) {
			return fmt.Sprintf("%v has no effect", l)
		}
	}
	return fmt.Sprintf("%s does not call pam_pwhistory.so", shortPath(filepath.Join(pamDir, changeService)))
}
