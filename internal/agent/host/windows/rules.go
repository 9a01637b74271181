package windows

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/unit"
)

// Seconds of a day and of a minute.
const (
	day    = uint32(24 * time.Hour / time.Second)
	minute = uint32(time.Minute / time.Second)
)

// Parts of a security template; see the documentation of secedit.
const (
	templateSection = "[System Access]"
	complexityKey   = "PasswordComplexity"
	templateHead    = "[Unicode]\r\nUnicode=yes\r\n[Version]\r\nsignature=\"$CHICAGO$\"\r\nRevision=1\r\n"
)

// passwords reads the password rules in force. An age that is no whole number of days counts as the next one.
func (h *Host) passwords() (drift.Passwords, error) {
	rules, err := h.system.PasswordRules()
	if err != nil {
		return drift.Passwords{}, fmt.Errorf("reading password rules: %w", err)
	}
	template, err := h.system.Template()
	if err != nil {
		return drift.Passwords{}, fmt.Errorf("reading the rule for complexity: %w", err)
	}
	complexity, err := complexityOf(template)
	if err != nil {
		return drift.Passwords{}, err
	}
	h.relaxed = isRelaxed(template)
	maxAge := 0 // for ever
	if rules.MaxAge != Forever {
		maxAge = int((rules.MaxAge + day - 1) / day)
	}
	return drift.Passwords{
		MinLength:  new(int(rules.MinLength)),
		History:    new(int(rules.History)),
		MaxAgeDays: &maxAge,
		MinAgeDays: new(int((rules.MinAge + day - 1) / day)),
		Complexity: &complexity,
	}, nil
}

// complexityOf finds the rule in a security template.
func complexityOf(template string) (bool, error) {
	within := false
	for line := range strings.Lines(template) {
		line = strings.TrimSpace(line)
		if strings.HasPrefix(line, "[") {
			within = strings.EqualFold(line, templateSection)
			continue
		}
		key, value, found := strings.Cut(line, "=")
		if within && found && strings.EqualFold(strings.TrimSpace(key), complexityKey) {
			return strings.TrimSpace(value) != "0", nil
		}
	}
	return false, fmt.Errorf("the exported security policy has no line %s under %s", complexityKey, templateSection)
}

// relaxKey is the security option that lets a minimum length be greater than [unit.SureMinLength], as an exported
// security policy has it where it is set: a registry value of type 4, a number.
const relaxKey = `MACHINE\System\CurrentControlSet\Control\SAM\RelaxMinimumPasswordLengthLimits`

// isRelaxed reports whether that option is set.
func isRelaxed(template string) bool {
	for line := range strings.Lines(template) {
		key, value, found := strings.Cut(strings.TrimSpace(line), "=")
		if found && strings.EqualFold(strings.TrimSpace(key), relaxKey) {
			kind, number, _ := strings.Cut(strings.TrimSpace(value), ",")
			return kind == "4" && number != "0"
		}
	}
	return false
}

// SetPasswords implements [host.Host]. Complexity goes another way than the rest: when it fails, the rest goes back.
func (h *Host) SetPasswords(ctx context.Context, next drift.Passwords) error {
	return h.change(ctx, func() error {
		before, err := h.system.PasswordRules()
		if err != nil {
			return fmt.Errorf("reading password rules: %w", err)
		}
		rules := before
		set := func(to *uint32, from *int, unit uint32) {
			if from != nil {
				*to = uint32(*from) * unit
			}
		}
		set(&rules.MinLength, next.MinLength, 1)
		set(&rules.History, next.History, 1)
		set(&rules.MinAge, next.MinAgeDays, day)
		set(&rules.MaxAge, next.MaxAgeDays, day)
		if next.MaxAgeDays != nil && *next.MaxAgeDays == 0 {
			rules.MaxAge = Forever
		}
		if rules != before {
			if err := h.system.SetPasswordRules(rules); err != nil {
				return fmt.Errorf(
					"minimum length %d, history %d, ages from %d to %d s: %w",
					rules.MinLength, rules.History, rules.MinAge, rules.MaxAge, err,
				)
			}
		}
		if next.Complexity == nil {
			return nil
		}
		if err := h.system.ApplyTemplate(templateWith(*next.Complexity)); err != nil {
			err = fmt.Errorf("complexity: %w", err)
			if rules != before {
				err = errors.Join(err, h.system.SetPasswordRules(before))
			}
			return err
		}
		return nil
	})
}

func templateWith(complexity bool) string {
	value := "0"
	if complexity {
		value = "1"
	}
	return templateHead + templateSection + "\r\n" + complexityKey + " = " + value + "\r\n"
}

// lockout reads the rule in force.
func (h *Host) lockout() (unit.LockoutRule, error) {
	rules, err := h.system.LockoutRules()
	if err != nil {
		return unit.LockoutRule{}, fmt.Errorf("reading the lockout: %w", err)
	}
	rule := unit.LockoutRule{Threshold: int(rules.Threshold), WindowMinutes: int(rules.Window / minute)}
	if rules.Duration != Forever {
		rule.DurationMinutes = int(rules.Duration / minute)
	}
	return rule, nil
}

// SetLockout implements [host.Host].
func (h *Host) SetLockout(ctx context.Context, rule unit.LockoutRule) error {
	return h.change(ctx, func() error {
		rules, err := h.system.LockoutRules()
		if err != nil {
			return fmt.Errorf("reading the lockout: %w", err)
		}
		rules.Threshold = uint32(rule.Threshold)
		if rule.Threshold > 0 { // else the times say nothing, and stay
			rules.Window, rules.Duration = uint32(rule.WindowMinutes)*minute, Forever
			if rule.DurationMinutes > 0 {
				rules.Duration = uint32(rule.DurationMinutes) * minute
			}
		}
		if err := h.system.SetLockoutRules(rules); err != nil {
			return fmt.Errorf("threshold %d, window %d min, duration %d min: %w",
				rule.Threshold, rule.WindowMinutes, rule.DurationMinutes, err)
		}
		return nil
	})
}
