//go:build linux

package linux

import (
	"context"
	"fmt"
	"slices"
	"strconv"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/unit"
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

// checksQuality reports whether the stack checks new passwords.
func (p pam) checksQuality() bool { return len(p.calls("password", "pam_pwquality.so")) > 0 }

// remembered is how many passwords the stack remembers.
func (p pam) remembered() (n int) {
	for _, name := range []string{"pam_pwhistory.so", "pam_unix.so"} {
		for _, m := range p.calls("password", name) {
			value, there := m.arg("remember")
			if count, err := strconv.Atoi(value); there && err == nil {
				n = max(n, count)
			}
		}
	}
	return n
}

// askedOfPasswords are the rules as files say, without ages.
func askedOfPasswords(all pam) drift.Passwords {
	length, complexity := 0, false
	if all.checksQuality() {
		length = max(all.quality("minlen", defaultLength), unit.LeastLinuxLength)
		complexity = all.quality("minclass", 0) >= classes
	}
	return drift.Passwords{MinLength: &length, Complexity: &complexity, History: new(all.remembered())}
}

// withAges adds the ages of passwords to rules: the loosest of the system's own and those of the accounts; an account
// whose password never expires, and root, do not count.
func (d database) withAges(rules drift.Passwords) drift.Passwords {
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
	rules.MaxAgeDays, rules.MinAgeDays = &longest, &shortest
	return rules
}

// rulesNow are the rules as they are after a change.
func (h *Host) rulesNow(ctx context.Context) (rules, error) {
	h.read.changed(partRules)
	return h.rules(ctx)
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
		now, err := h.rules(ctx)
		if err != nil {
			return err
		}
		if err := checkRules(rules, d.withAges(now.passwords())); err != nil {
			return err
		}
		undo, err := h.undoing(qualityFile, loginDefs)
		if err != nil {
			return err
		}
		defer func() { err = undo(err) }()
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
		if now, err = h.rulesNow(ctx); err != nil {
			return err
		}
		return notTaken(rules, d.withAges(now.passwords()), now.causes())
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

func (h *Host) setHistory(ctx context.Context, history *int) error {
	if all, _ := readPAM(); history == nil || *history == all.remembered() {
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
	return h.changeStack(ctx, func(now pam) bool { return now.remembered() == *history }, profile{historyName, text})
}

// notTaken says what the system did not take, since something else counts before it.
func notTaken(asked, now drift.Passwords, causes map[unit.ID]string) error {
	for _, rule := range []struct {
		id         unit.ID
		what       string
		asked, now *int
		where      string
	}{
		{unit.MinLength, "the minimum length", asked.MinLength, now.MinLength,
			qualityConf + " or an argument in " + pamDir},
		{unit.History, "the history", asked.History, now.History, "an argument in " + pamDir},
		{unit.MaxAgeDays, "the maximum age", asked.MaxAgeDays, now.MaxAgeDays, loginDefs},
		{unit.MinAgeDays, "the minimum age", asked.MinAgeDays, now.MinAgeDays, loginDefs},
	} {
		if why := causes[rule.id]; why != "" && rule.asked != nil && *rule.asked != *rule.now {
			return fmt.Errorf("%s stays %d, because of %s", rule.what, *rule.now, why)
		}
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
		if why := causes[unit.Complexity]; why != "" {
			return fmt.Errorf("the complexity stays as it is, because of %s", why)
		}
		return fmt.Errorf(
			"the complexity stays as it is: minclass in %s or an argument in %s counts before what the agent writes; "+
				"take it out there",
			qualityConf,
			pamDir,
		)
	}
	return nil
}
