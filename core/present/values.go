package present

import (
	"fmt"
	"strings"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// Value says what a settled value, or a claim, asks for.
func Value(id unit.ID, value unit.Value) string {
	switch v := value.(type) {
	case unit.LockoutValue:
		return Lockout(unit.LockoutRule(v))
	case unit.Members:
		return members(v)
	case unit.Statement:
		return statement(v)
	case unit.AccountValue:
		return Account(unit.AccountValue(v))
	case unit.OthersValue:
		return others(v)
	case unit.RotationValue:
		return Rotation(unit.RotationValue(v))
	case unit.Text:
		if v == "" {
			return "empty"
		}
		return string(v)
	case unit.Bool:
		return boolean(id, bool(v))
	case unit.Int:
		return number(id, int(v))
	}
	return "none"
}

func boolean(id unit.ID, on bool) string {
	say := [2]string{"any characters", "three classes of characters"}
	if id != unit.Complexity {
		say = [2]string{"disabled", "enabled"}
	}
	if on {
		return say[1]
	}
	return say[0]
}

func number(id unit.ID, n int) string {
	switch id {
	case unit.MinLength:
		return count(n, "character", "characters")
	case unit.History:
		return fmt.Sprintf("%d remembered", n)
	case unit.MaxAgeDays:
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
func Lockout(l unit.LockoutRule) string {
	if l.Threshold == 0 {
		return "never locks"
	}
	until := "until someone unlocks"
	if l.DurationMinutes > 0 {
		until = "for " + Minutes(l.DurationMinutes)
	}
	return fmt.Sprintf(
		"after %s within %s, locked %s",
		count(l.Threshold, "wrong attempt", "wrong attempts"),
		Minutes(l.WindowMinutes),
		until,
	)
}

// Account says what a managed account is to be.
func Account(a unit.AccountValue) string {
	if a.State == unit.Absent {
		return a.Name + ", absent"
	}
	parts := []string{a.Name, string(a.State)}
	for _, d := range unit.AccountDetails {
		switch v := d.Plain(a.Details).(type) {
		case string:
			if v != "" {
				parts = append(parts, fmt.Sprintf(d.Phrase, v))
			}
		case bool:
			if v {
				parts = append(parts, d.Phrase)
			}
		}
	}
	if len(a.Formerly) > 0 {
		parts = append(parts, "formerly "+strings.Join(a.Formerly, " or "))
	}
	if a.TakeOver {
		parts = append(parts, "also where something runs as it")
	}
	if a.ChangePassword {
		parts = append(parts, "its user must change the password at the next sign-in")
	}
	if a.KeepPassword {
		parts = append(parts, "its password is left alone")
	}
	if a.KeepKeys {
		parts = append(parts, "its SSH keys stay")
	}
	return strings.Join(parts, ", ")
}

// others says what becomes of accounts that no policy names.
func others(v unit.OthersValue) string {
	say := fmt.Sprintf("%s after %s", v.State, Minutes(v.GraceMinutes))
	if len(v.Allow) > 0 {
		say += ", but " + strings.Join(v.Allow, ", ")
	}
	return say
}

// Secret says what a password is made of, and how strong that is.
func Secret(s unit.Secret) string {
	if s.Style == unit.Words {
		if s.Joint() != unit.Separators[0] {
			return fmt.Sprintf("%d words joined by %s (%.0f bits)", s.Words, s.Joint(), s.Bits())
		}
		return fmt.Sprintf("%d words (%.0f bits)", s.Words, s.Bits())
	}
	return fmt.Sprintf("%d characters of %s (%.0f bits)", s.Length, strings.Join(s.Use, ", "), s.Bits())
}

var afterUse = map[unit.Then]string{unit.EndSessions: ", ending its sessions", unit.Restart: ", restarting the device"}

// Rotation says when a password changes and what the new one is like.
func Rotation(r unit.RotationValue) string {
	say := fmt.Sprintf(
		"every %s, %s after a sign-in%s",
		Minutes(r.EveryMinutes),
		Minutes(r.AfterUse.WaitMinutes),
		afterUse[r.AfterUse.Then],
	)
	if r.AfterRevealMinutes != nil {
		say += fmt.Sprintf(", %s after it was viewed", Minutes(*r.AfterRevealMinutes))
	}
	if r.RedrawName {
		say += ", with a new name"
	}
	return say + "; " + Secret(r.Secret)
}

func members(m unit.Members) string {
	say := made(m.Create, memberList(m))
	if m.Strict {
		say += "; sudoers strict"
	}
	return say
}

// made adds that a local group is made where it is missing.
func made(create bool, say string) string {
	if create {
		return say + "; created where it is missing"
	}
	return say
}

func memberList(m unit.Members) string {
	if m.Closed {
		if len(m.Present) == 0 {
			return "exactly: no members"
		}
		return "exactly: " + names(m.Present)
	}
	return adjust(m.Present, m.Absent)
}

func statement(s unit.Statement) string {
	return members(unit.Members{Closed: s.Mode == unit.Exact, Present: s.Members, Absent: s.Remove, Create: s.Create,
		Strict: s.Strict})
}

func adjust(in, out []principal.Ref) string {
	var parts []string
	if len(in) > 0 {
		parts = append(parts, "must include: "+names(in))
	}
	if len(out) > 0 {
		parts = append(parts, "must not include: "+names(out))
	}
	if parts == nil {
		return "no change"
	}
	return strings.Join(parts, "; ")
}
