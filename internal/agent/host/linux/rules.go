//go:build linux

package linux

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/kit/atomicfile"
)

const (
	qualityConf   = "/etc/security/pwquality.conf"
	qualityDir    = "/etc/security/pwquality.conf.d"
	qualityFile   = qualityDir + "/rankwarden.conf"
	historyName   = "rankwarden-history"
	never         = 99_999 // days, from which on login.defs(5) means never
	defaultLength = 8      // characters, of pwquality.conf(5)
	classes       = 3      // of characters that a complex password has
)

// quality is a setting of pwquality.conf(5) in force: files of the directory in their order, the file itself,
// arguments.
func quality(key string, otherwise int) int {
	found := otherwise
	take := func(value string, there bool) {
		if n, err := strconv.Atoi(value); there && err == nil {
			found = n
		}
	}
	files, _ := filepath.Glob(filepath.Join(qualityDir, "*.conf"))
	for _, f := range append(files, qualityConf) {
		value, there := assignments(string(readOr(f)), "=")[key]
		take(value, there)
	}
	for _, m := range inStack("password", "pam_pwquality.so") {
		take(m.arg(key))
	}
	return found
}

// checksQuality reports whether the stack checks new passwords.
func checksQuality() bool { return len(inStack("password", "pam_pwquality.so")) > 0 }

// remembered is how many passwords the stack remembers.
func remembered() (n int) {
	for _, name := range []string{"pam_pwhistory.so", "pam_unix.so"} {
		for _, m := range inStack("password", name) {
			value, there := m.arg("remember")
			if count, err := strconv.Atoi(value); there && err == nil {
				n = max(n, count)
			}
		}
	}
	return n
}

// readRules are the password rules in force. Ages are the loosest of the system's own and those of the accounts; an
// account whose password never expires, and root, do not count.
func readRules(d database) drift.Passwords {
	length, complexity := 0, false
	if checksQuality() {
		length = max(quality("minlen", defaultLength), unit.LeastLinuxLength)
		complexity = quality("minclass", 0) >= classes
	}
	longest, shortest := d.number("PASS_MAX_DAYS", never), max(d.number("PASS_MIN_DAYS", 0), 0)
	for _, p := range d.ageing() {
		if p.maxDays >= 0 {
			longest = max(longest, p.maxDays)
		}
		shortest = min(shortest, max(p.minDays, 0))
	}
	if longest >= never || longest < 0 {
		longest = 0
	}
	return drift.Passwords{
		MinLength: &length, Complexity: &complexity, History: new(remembered()), MaxAgeDays: &longest,
		MinAgeDays: &shortest,
	}
}

// ageing are the accounts to which ages of passwords apply.
func (d database) ageing() []person {
	return slices.DeleteFunc(
		slices.Clone(d.people),
		func(p person) bool { return !d.regular(p) || p.uid == 0 || !p.shadowed },
	)
}

// SetPasswords implements [host.Host].
func (h *Host) SetPasswords(ctx context.Context, rules drift.Passwords) error {
	return h.change(ctx, func() (err error) {
		d, err := readDatabase()
		if err != nil {
			return err
		}
		if err := checkRules(rules, readRules(d)); err != nil {
			return err
		}
		before, err := keep(qualityFile, loginDefs)
		if err != nil {
			return err
		}
		defer func() {
			if err != nil {
				err = errors.Join(err, putBack(before))
			}
		}()
		if err := h.setQuality(ctx, rules); err != nil {
			return err
		}
		if err := h.setHistory(ctx, rules.History); err != nil {
			return err
		}
		if err := h.setAges(ctx, d, rules); err != nil {
			return err
		}
		if d, err = readDatabase(); err != nil {
			return err
		}
		return notTaken(rules, readRules(d))
	})
}

// checkRules refuses rules that the platform cannot have, before anything is changed.
func checkRules(rules, now drift.Passwords) error {
	longest, shortest := *now.MaxAgeDays, *now.MinAgeDays
	if rules.MaxAgeDays != nil {
		longest = *rules.MaxAgeDays
	}
	if rules.MinAgeDays != nil {
		shortest = *rules.MinAgeDays
	}
	switch {
	case longest != 0 && shortest >= longest:
		return fmt.Errorf(
			"the rules contradict each other: minimum age %d days, maximum age %d days",
			shortest,
			longest,
		)
	case rules.MinLength != nil && *rules.MinLength < unit.LeastLinuxLength && *rules.MinLength != *now.MinLength:
		return fmt.Errorf("pam_pwquality asks for %d characters at least, whatever it is told", unit.LeastLinuxLength)
	}
	return nil
}

func (h *Host) setQuality(ctx context.Context, rules drift.Passwords) error {
	if rules.MinLength == nil && rules.Complexity == nil {
		return nil
	}
	var values []setting
	if rules.MinLength != nil {
		values = append(values, setting{"minlen", strconv.Itoa(*rules.MinLength)})
	}
	if rules.Complexity != nil {
		n := 0
		if *rules.Complexity {
			n = classes
		}
		values = append(values, setting{"minclass", strconv.Itoa(n)})
	}
	text := string(readOr(qualityFile))
	if text == "" {
		text = "# Written by the agent of Rank Warden, as policies ask.\n"
	}
	if err := os.MkdirAll(qualityDir, 0o755); err != nil {
		return err
	}
	if err := atomicfile.Write(qualityFile, []byte(withSettings(text, " = ", values...)), 0o644); err != nil {
		return err
	}
	if checksQuality() {
		return nil
	}
	own := filepath.Join(profilesDir, "pwquality") // of the package that brings the module
	return h.changeStack(ctx, checksQuality, profile{"pwquality", string(readOr(own))})
}

func (h *Host) setHistory(ctx context.Context, history *int) error {
	if history == nil || *history == remembered() {
		return nil
	}
	text := ""
	if *history > 0 {
		text = fmt.Sprintf(`Name: Rank Warden: former passwords are not taken again
Default: no
Priority: 1000
Password-Type: Primary
Password:
	requisite	pam_pwhistory.so remember=%d use_authtok
Password-Initial:
	requisite	pam_pwhistory.so remember=%d
`, *history, *history)
	}
	return h.changeStack(ctx, func() bool { return remembered() == *history }, profile{historyName, text})
}

// setAges writes the ages for accounts to come, and gives them to those that are there.
func (h *Host) setAges(ctx context.Context, d database, rules drift.Passwords) error {
	var values []setting
	longest := never
	if rules.MaxAgeDays != nil {
		if *rules.MaxAgeDays > 0 {
			longest = *rules.MaxAgeDays
		}
		values = append(values, setting{"PASS_MAX_DAYS", strconv.Itoa(longest)})
	}
	if rules.MinAgeDays != nil {
		values = append(values, setting{"PASS_MIN_DAYS", strconv.Itoa(*rules.MinAgeDays)})
	}
	if len(values) == 0 {
		return nil
	}
	if err := atomicfile.Write(loginDefs, []byte(withSettings(string(readOr(loginDefs)), "\t", values...)),
		0o644); err != nil {
		return err
	}
	for _, p := range d.ageing() {
		if rules.MinAgeDays != nil && max(p.minDays, 0) != *rules.MinAgeDays {
			if err := h.age(ctx, p, "--mindays", *rules.MinAgeDays); err != nil {
				return err
			}
		}
		if rules.MaxAgeDays != nil && p.maxDays >= 0 && p.maxDays != longest {
			if err := h.age(ctx, p, "--maxdays", longest); err != nil {
				return err
			}
		}
	}
	return nil
}

// notTaken says what the system did not take, since something else counts before it.
func notTaken(asked, now drift.Passwords) error {
	for _, rule := range []struct {
		what       string
		asked, now *int
		where      string
	}{
		{"the minimum length", asked.MinLength, now.MinLength, qualityConf + " or an argument in " + pamDir},
		{"the history", asked.History, now.History, "an argument in " + pamDir},
		{"the maximum age", asked.MaxAgeDays, now.MaxAgeDays, loginDefs},
		{"the minimum age", asked.MinAgeDays, now.MinAgeDays, loginDefs},
	} {
		if rule.asked != nil && *rule.asked != *rule.now {
			return fmt.Errorf(
				"%s stays %d: %s counts before what the agent writes; take it out there",
				rule.what,
				*rule.now,
				rule.where,
			)
		}
	}
	if asked.Complexity != nil && *asked.Complexity != *now.Complexity {
		return fmt.Errorf(
			"the complexity stays as it is: minclass in %s or an argument in %s counts before what the agent writes; "+
				"take it out there",
			qualityConf,
			pamDir,
		)
	}
	return nil
}
