package present

import (
	"fmt"
	"strings"

	"rankwarden.example/core/unit"
)

// rotationChange says what becomes of a rule of rotation, part by part, before and after. A part that protects less
// than before is marked, since a longer list of parts hides it.
func rotationChange(before, after unit.RotationValue) string {
	var parts []string
	add := func(differs, weaker bool, what, from, to string) {
		if !differs {
			return
		}
		part := fmt.Sprintf("%s %s → %s", what, from, to)
		if weaker {
			part += " (weaker)"
		}
		parts = append(parts, part)
	}
	add(before.EveryMinutes != after.EveryMinutes, after.EveryMinutes > before.EveryMinutes,
		"every", Minutes(before.EveryMinutes), Minutes(after.EveryMinutes))
	from, to := Secret(before.Secret), Secret(after.Secret)
	add(from != to, after.Secret.Bits() < before.Secret.Bits(), "password of", from, to)
	was, will := before.AfterUse, after.AfterUse
	add(was.WaitMinutes != will.WaitMinutes, will.WaitMinutes > was.WaitMinutes,
		"after a sign-in", Minutes(was.WaitMinutes), Minutes(will.WaitMinutes))
	add(was.Then != will.Then, afterUse[will.Then] == "",
		"then", thenWords(was.Then), thenWords(will.Then))
	add(!sameMinutes(before.AfterRevealMinutes, after.AfterRevealMinutes),
		later(before.AfterRevealMinutes, after.AfterRevealMinutes),
		"after it was viewed", orNever(before.AfterRevealMinutes), orNever(after.AfterRevealMinutes))
	add(before.RedrawName != after.RedrawName, before.RedrawName,
		"new name", onOff(before.RedrawName), onOff(after.RedrawName))
	add(before.Keep != after.Keep, false, "former passwords kept", fmt.Sprint(before.Keep), fmt.Sprint(after.Keep))
	return strings.Join(parts, "; ")
}

func thenWords(t unit.Then) string {
	switch t {
	case unit.EndSessions:
		return "sessions end"
	case unit.Restart:
		return "the device restarts"
	}
	return "nothing"
}

func sameMinutes(a, b *int) bool { return a == nil && b == nil || a != nil && b != nil && *a == *b }

// later reports whether something happens later than before, or never; nil is never.
func later(before, after *int) bool {
	return before != nil && (after == nil || *after > *before)
}

func orNever(minutes *int) string {
	if minutes == nil {
		return "never"
	}
	return Minutes(*minutes)
}

func onOff(on bool) string {
	if on {
		return "on"
	}
	return "off"
}
