package words

import (
	"fmt"
	"strings"

	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
)

// Value says what a settled value, or a claim, asks for.
func Value(unit resolve.UnitID, value resolve.Value) string {
	switch v := value.(type) {
	case resolve.LockoutValue:
		return Lockout(policy.LockoutRule(v))
	case resolve.Members:
		return members(v)
	case resolve.Statement:
		return statement(v)
	case resolve.AccountValue:
		return Account(policy.AccountRule(v))
	case resolve.RotationValue:
		return Rotation(policy.RotationRule(v))
	case resolve.Text:
		if v == "" {
			return "empty"
		}
		return string(v)
	case resolve.Bool:
		return boolean(unit, bool(v))
	case resolve.Int:
		return number(unit, int(v))
	}
	return "nothing"
}

func boolean(unit resolve.UnitID, on bool) string {
	say := [2]string{"any characters", "three kinds of character"}
	if unit != resolve.Complexity {
		say = [2]string{"disabled", "enabled"}
	}
	if on {
		return say[1]
	}
	return say[0]
}

func number(unit resolve.UnitID, n int) string {
	switch unit {
	case resolve.MinLength:
		return count(n, "character", "characters")
	case resolve.History:
		return fmt.Sprintf("%d remembered", n)
	case resolve.MaxAgeDays:
		if n == 0 {
			return "never expires"
		}
		return "expires after " + count(n, "day", "days")
	}
	if n == 0 {
		return "may change at once"
	}
	return "may change after " + count(n, "day", "days")
}

// Lockout says what the numbers do to a person who mistypes.
func Lockout(l policy.LockoutRule) string {
	if l.Threshold == 0 {
		return "never locks"
	}
	until := "until someone unlocks"
	if l.DurationMinutes > 0 {
		until = "for " + Minutes(l.DurationMinutes)
	}
	return fmt.Sprintf("after %s within %s, locked %s", count(l.Threshold, "wrong attempt", "wrong attempts"), Minutes(l.WindowMinutes), until)
}

// Account says what a managed account is to be.
func Account(a policy.AccountRule) string {
	if a.State == policy.Absent {
		return a.Name + ", absent"
	}
	parts := []string{a.Name, string(a.State)}
	if a.FullName != "" {
		parts = append(parts, fmt.Sprintf("called %q", a.FullName))
	}
	if a.Description != "" {
		parts = append(parts, fmt.Sprintf("%q", a.Description))
	}
	if len(a.Formerly) > 0 {
		parts = append(parts, "formerly "+strings.Join(a.Formerly, " or "))
	}
	if a.PasswordExpires {
		parts = append(parts, "password expires")
	}
	return strings.Join(parts, ", ")
}

// Secret says what a password is made of, and how strong that is.
func Secret(s policy.Secret) string {
	if s.Style == policy.Words {
		return fmt.Sprintf("%d words (%.0f bits)", s.Words, s.Bits())
	}
	return fmt.Sprintf("%d characters of %s (%.0f bits)", s.Length, strings.Join(s.Use, ", "), s.Bits())
}

var afterUse = map[policy.Then]string{policy.EndSessions: ", ending its sessions", policy.Restart: ", restarting the device"}

// Rotation says when a password changes and what the new one is like.
func Rotation(r policy.RotationRule) string {
	say := fmt.Sprintf("every %s, %s after a sign-in%s", Minutes(r.EveryMinutes), Minutes(r.AfterUse.WaitMinutes), afterUse[r.AfterUse.Then])
	if r.AfterRevealMinutes != nil {
		say += fmt.Sprintf(", %s after it was shown", Minutes(*r.AfterRevealMinutes))
	}
	if r.RedrawName {
		say += ", with a new name"
	}
	return say + "; " + Secret(r.Secret)
}

func members(m resolve.Members) string {
	if m.Closed {
		if len(m.Present) == 0 {
			return "nobody"
		}
		return fmt.Sprintf("only %d: %s", len(m.Present), names(m.Present))
	}
	return adjust(m.Present, m.Absent)
}

func statement(s resolve.Statement) string {
	if s.Mode == policy.Exact {
		return members(resolve.Members{Closed: true, Present: s.Members})
	}
	return adjust(s.Members, s.Remove)
}

func adjust(in, out []principal.Ref) string {
	var parts []string
	if len(in) > 0 {
		parts = append(parts, "at least "+names(in))
	}
	if len(out) > 0 {
		parts = append(parts, "not "+names(out))
	}
	if parts == nil {
		return "nobody in particular"
	}
	return strings.Join(parts, "; ")
}
