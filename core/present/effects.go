package present

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/effect"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// sections of effects, the gravest first: who loses access, what becomes held, then the rest.
var sections = []struct {
	title string
	kinds []effect.Kind // in the order in which they are shown
}{
	{LosesAccess, []effect.Kind{
		effect.GuardRefuses, effect.NoWayIn, effect.MemberLeaves, effect.AccountDisabled, effect.AccountRemoved,
	}},
	{BecomesHeld, []effect.Kind{effect.Held}},
	{"Gains access", []effect.Kind{
		effect.MemberJoins, effect.AccountEnabled, effect.AccountCreated, effect.AccountKept, effect.AccountSpared,
	}},
	{TakesOver, []effect.Kind{effect.TakeoverRefused, effect.AccountAdopted, effect.PasswordLeft}},
	{"Weaker rules", []effect.Kind{effect.Loosened}},
	{"Stricter rules", []effect.Kind{effect.Tightened}},
	{"Other rules", []effect.Kind{effect.Changed}},
	{"Accounts", []effect.Kind{
		effect.AccountAmbiguous, effect.AccountRenamed, effect.AccountDescribed, effect.AccountReleased,
		effect.AccountNotCreated,
	}},
	{"Local groups", []effect.Kind{effect.GroupCreated, effect.GroupRemoved}},
	{"Password rotation", []effect.Kind{effect.RotationStarts, effect.RotationStops, effect.RotationChanged}},
	{"No longer held", []effect.Kind{effect.NoLongerHeld}},
}

// The sections that a reader must not miss.
const (
	LosesAccess = "Loses access"
	BecomesHeld = "Becomes held"
	TakesOver   = "Takes over"
)

// EffectSection is the heading under which effects of a kind are shown.
func EffectSection(kind effect.Kind) string {
	section, _ := place(kind)
	return sections[section].title
}

func place(kind effect.Kind) (section, place int) {
	for i, s := range sections {
		if at := slices.Index(s.kinds, kind); at >= 0 {
			return i, at
		}
	}
	return len(sections) - 1, 0
}

// SortSums gives sums in the order in which a reader needs them: the gravest first, administrators before other local
// groups, and what concerns many devices before what concerns few.
func SortSums(sums []effect.Sum) []effect.Sum {
	sums = slices.Clone(sums)
	slices.SortStableFunc(sums, func(x, y effect.Sum) int {
		sx, px := place(x.Kind)
		sy, py := place(y.Kind)
		return cmp.Or(
			cmp.Compare(sx, sy),
			cmp.Compare(px, py),
			notAdministrators(x)-notAdministrators(y),
			cmp.Compare(y.Devices, x.Devices),
			Compare(x.Unit, y.Unit),
			cmp.Compare(x.Subject, y.Subject),
		)
	})
	return sums
}

func notAdministrators(s effect.Sum) int {
	if s.Unit == unit.Administrators {
		return 0
	}
	return 1
}

// EffectSum says in one sentence what a change does on the devices of a sum.
func EffectSum(s effect.Sum) string {
	return Effect(effect.Effect{Unit: s.Unit, Kind: s.Kind, Subject: s.Subject, Before: s.Before, After: s.After})
}

// Effect says in one sentence what a change does. A value may be [effect.Varies].
func Effect(e effect.Effect) string {
	subject := e.Subject
	if ref, err := principal.Parse(e.Subject); err == nil {
		subject = Principal(ref)
	}
	switch e.Kind {
	case effect.Held:
		return UnitInFull(e.Unit) + " is held: it keeps the value last sent"
	case effect.NoLongerHeld:
		return UnitInFull(e.Unit) + " is no longer held"
	case effect.GroupCreated:
		return fmt.Sprintf("the local group %s is created", Unit(e.Unit))
	case effect.GroupRemoved:
		return fmt.Sprintf("the local group %s, which is empty, is removed", Unit(e.Unit))
	case effect.MemberLeaves:
		return fmt.Sprintf("%s leaves %s", subject, Unit(e.Unit))
	case effect.MemberJoins:
		return fmt.Sprintf("%s joins %s", subject, Unit(e.Unit))
	case effect.GuardRefuses:
		say := "the device refuses to remove its last break-glass account from administrators"
		if list, ok := texts(e.Before); ok {
			say += ": " + strings.Join(list, ", ")
		}
		return say
	case effect.TakeoverRefused:
		runs, _ := e.After.([]string)
		return fmt.Sprintf("%s does not take over %v, which is in use by %s; take_over: true allows it", subject,
			e.Before, cmp.Or(strings.Join(runs, ", "), "services or tasks"))
	case effect.AccountDisabled:
		if e.Unit == unit.Others {
			return subject + ", which no policy names, is disabled when its grace is over"
		}
	case effect.NoWayIn:
		return "an administrator leaves, and no break-glass account is left"
	case effect.Tightened, effect.Loosened, effect.Changed:
		return rule(e)
	case effect.RotationStarts:
		return "rotation of " + subject + " starts" + detailOf(e, e.After)
	case effect.RotationStops:
		return "rotation of " + subject + " stops"
	case effect.RotationChanged:
		before, was := e.Before.(unit.RotationValue)
		after, will := e.After.(unit.RotationValue)
		if was && will {
			return "rotation of " + subject + " changes: " + rotationChange(before, after)
		}
		return "rotation of " + subject + " changes" + detailOf(e, e.After)
	}
	return subject + " " + account(e)
}

// accountEffects say what becomes of an account; the values stand in for {before} and {after}.
var accountEffects = map[effect.Kind]string{
	effect.AccountReleased:   "is no longer managed, and stays",
	effect.AccountNotCreated: "is not created",
	effect.AccountSpared:     "is not removed",
	effect.AccountAmbiguous:  "fits several accounts, so none is changed",
	effect.AccountRemoved:    "is removed: {before}",
	effect.AccountCreated:    "is created as {after}",
	effect.AccountAdopted:    "takes over an existing account: {before} becomes {after}",
	effect.PasswordLeft:      "keeps its password and its sessions",
	effect.AccountKept:       "is kept instead of removed: {before}",
	effect.AccountRenamed:    "is renamed from {before} to {after}",
	effect.AccountEnabled:    "is enabled",
	effect.AccountDisabled:   "is disabled",
}

func account(e effect.Effect) string {
	if e.Kind == effect.AccountDescribed {
		return described(e)
	}
	values := strings.NewReplacer("{before}", fmt.Sprint(e.Before), "{after}", fmt.Sprint(e.After))
	return values.Replace(accountEffects[e.Kind]) + takes(e.Takes)
}

// takes says what is known of an account that is taken over.
func takes(t *effect.Taken) string {
	if t == nil {
		return ""
	}
	parts := []string{"no sign-in known"}
	if !t.LastSignIn.IsZero() {
		parts[0] = "last sign-in " + t.LastSignIn.Format(time.DateOnly)
	}
	if len(t.Groups) > 0 {
		parts = append(parts, "in "+strings.Join(t.Groups, ", "))
	}
	if len(t.Runs) > 0 {
		parts = append(parts, "in use by "+strings.Join(t.Runs, ", "))
	}
	return " (" + strings.Join(parts, "; ") + ")"
}

func described(e effect.Effect) string {
	properties, ok := e.After.(map[string]any)
	if !ok {
		return "changes its full name, description or expiry"
	}
	before, _ := e.Before.(map[string]any)
	var parts []string
	for _, d := range unit.AccountDetails {
		if after, changed := properties[d.Name]; changed {
			parts = append(parts, fmt.Sprintf(
				"%s %s → %s",
				strings.ReplaceAll(d.Name, "_", " "),
				detail(plain(before[d.Name])),
				detail(plain(after)),
			))
		}
	}
	if _, must := properties["change_at_next_sign_in"]; must {
		parts = append(parts, "its user must change the password at the next sign-in")
	}
	return "changes: " + strings.Join(parts, ", ")
}

// plain is a value as JSON has it.
func plain(value any) any {
	switch v := value.(type) {
	case unit.Text:
		return string(v)
	case unit.Bool:
		return bool(v)
	}
	return value
}

var ruleEffects = map[effect.Kind]string{
	effect.Tightened: "gets stricter", effect.Loosened: "gets less strict", effect.Changed: "changes",
}

func rule(e effect.Effect) string {
	value := func(v any) string {
		switch v := v.(type) {
		case unit.Value:
			return Value(e.Unit, v)
		case effect.Varying:
			return v.String()
		}
		return notReported
	}
	return fmt.Sprintf("%s %s: %s → %s", UnitInFull(e.Unit), ruleEffects[e.Kind], value(e.Before), value(e.After))
}

func detailOf(e effect.Effect, value any) string {
	if v, ok := value.(unit.Value); ok {
		return ": " + Value(e.Unit, v)
	}
	return ""
}

func texts(value any) ([]string, bool) {
	list, ok := value.([]string)
	if !ok {
		return nil, false
	}
	names := make([]string, len(list))
	for i, s := range list {
		names[i] = s
		if ref, err := principal.Parse(s); err == nil {
			names[i] = Principal(ref)
		}
	}
	return names, true
}
