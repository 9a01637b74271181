package policy

import (
	"slices"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// Rotation says how the password of one account changes.
type Rotation struct {
	Target      principal.Ref // an account: reference, or builtin:administrator
	Every       time.Duration // 1 hour to 400 days
	Secret      unit.Secret
	Wait        time.Duration // after a sign-in: 15 minutes to 72 hours
	Then        unit.Then
	AfterReveal *time.Duration // 1 to 72 hours after the password was shown; nil: not for that
	RedrawName  bool           // draw new digits for the # of the name at every rotation
	Keep        int            // former passwords kept in escrow, 1 to 24
}

// Limits of rotation, minutes where they are times.
const (
	MinEvery, MaxEvery             = 60, 400 * 24 * 60
	MinWait, MaxWait               = 15, 72 * 60
	MinAfterReveal, MaxAfterReveal = 60, 72 * 60
	MinLength, MaxLength           = 12, 120
	MinWords, MaxWords             = 5, 12
	MinKeep, MaxKeep               = 1, 24
)

// Defaults of rotation.
const (
	DefaultEvery  = 30 * 24 * time.Hour
	DefaultWait   = 4 * time.Hour
	DefaultLength = 24
	DefaultWords  = 5
	DefaultKeep   = 5
)

// rotations is how a rotation is written.
var rotations = shape[Rotation]{
	always("target", rotationTarget, func(r *Rotation) *principal.Ref { return &r.Target }).needed().
		about("account:KEY or builtin:administrator"),
	usual(
		"every",
		span(MinEvery, MaxEvery),
		func(r *Rotation) *time.Duration { return &r.Every },
		DefaultEvery,
	).about("1h to 400d"),
	always(
		"secret",
		mappingOf(secret, defaultSecret, onlyOfStyle),
		func(r *Rotation) *unit.Secret { return &r.Secret },
	).
		sometimes(func(r *Rotation) bool { return len(secret.write(&r.Secret).Content) > 0 }),
	within(
		"after_use",
		afterUse,
	).sometimes(func(r *Rotation) bool { return r.Wait != DefaultWait || r.Then != unit.EndSessions }),
	optional(
		"after_reveal",
		span(MinAfterReveal, MaxAfterReveal),
		func(r *Rotation) **time.Duration { return &r.AfterReveal },
	).
		about("1h to 72h after the password was shown"),
	usual(
		"redraw_name",
		yesNo,
		func(r *Rotation) *bool { return &r.RedrawName },
		false,
	).about("Draw new digits for # at every rotation"),
	usual(
		"keep",
		number(MinKeep, MaxKeep, "former passwords"),
		func(r *Rotation) *int { return &r.Keep },
		DefaultKeep,
	).about("Former passwords kept in escrow"),
}

// afterUse is how it is written what follows a sign-in.
var afterUse = shape[Rotation]{
	always(
		"wait",
		span(MinWait, MaxWait),
		func(r *Rotation) *time.Duration { return &r.Wait },
	).about("15m to 72h after a sign-in").
		byDefault(Duration(DefaultWait)),
	always(
		"then",
		oneOf(unit.Nothing, unit.EndSessions, unit.Restart),
		func(r *Rotation) *unit.Then { return &r.Then },
	).byDefault(unit.EndSessions),
}

// secret is how it is written what a password is made of.
var secret = shape[unit.Secret]{
	usual(
		"style",
		oneOf(unit.Characters, unit.Words),
		func(s *unit.Secret) *unit.Style { return &s.Style },
		unit.Characters,
	),
	usual(
		"length",
		number(MinLength, MaxLength, "characters"),
		func(s *unit.Secret) *int { return &s.Length },
		DefaultLength,
	).
		about("Characters").
		sometimes(ofCharacters),
	unless(
		"use",
		words(schema{{"enum", unit.AllClasses}}, (*reader).classes, member{"minItems", 1}),
		func(s *unit.Secret) *[]string { return &s.Use },
		func(use []string) bool { return slices.Equal(use, unit.AllClasses) },
	).byDefault(unit.AllClasses).
		sometimes(ofCharacters),
	usual(
		"avoid_lookalikes",
		yesNo,
		func(s *unit.Secret) *bool { return &s.AvoidLookalikes },
		true,
	).sometimes(ofCharacters),
	always("words", number(MinWords, MaxWords, "words"), func(s *unit.Secret) *int { return &s.Words }).
		about("Capitalised words").
		byDefault(DefaultWords).sometimes(func(s *unit.Secret) bool { return !ofCharacters(s) }),
	usual("separator", oneOf(unit.Separators...), func(s *unit.Secret) *string { return &s.Separator },
		unit.Separators[0]).
		about("What stands between words").sometimes(func(s *unit.Secret) bool { return !ofCharacters(s) }),
}

func ofCharacters(s *unit.Secret) bool { return s.Style != unit.Words }

// onlyOfStyle refuses what belongs to the other style.
func onlyOfStyle(r *reader, _ *yaml.Node, path string, s *unit.Secret) {
	for _, key := range []string{"length", "use", "avoid_lookalikes", "words", "separator"} {
		at := path + "." + key
		ofWords := key == "words" || key == "separator"
		if n := r.places[at]; n != nil && s.Style != "" && (s.Style == unit.Words) != ofWords {
			r.errorf(
				n,
				at,
				CodeForStyle,
				"a secret of style %s has no %q; take it out, or choose the other style",
				s.Style,
				key,
			)
		}
	}
}

func newRotation() Rotation {
	return Rotation{
		Every:  DefaultEvery,
		Secret: defaultSecret(),
		Wait:   DefaultWait,
		Then:   unit.EndSessions,
		Keep:   DefaultKeep,
	}
}

// oneRotation refuses a second rotation of the same account.
func oneRotation(r *reader, _ *yaml.Node, path string, seen map[string]int, rule *Rotation) {
	if rule.Target.IsZero() {
		return
	}
	at, target := r.at(path+".target"), rule.Target.String()
	if line, again := seen[target]; again {
		r.errorf(
			at,
			path+".target",
			CodeDuplicate,
			"line %d already says how %s is rotated; put both into one",
			line,
			target,
		)
	}
	seen[target] = at.Line
}

var rotationTarget = kind[principal.Ref]{
	schema: schema{
		{"type", "string"},
		{
			"pattern",
			"^(?:" + anyCase("account") + ":[A-Za-z0-9][A-Za-z0-9-]{0,62}|" + anyCase("builtin") + ":" +
				anyCase("administrator") + ")$",
		},
	},
	read: func(r *reader, n *yaml.Node, path string) (principal.Ref, bool) {
		ref := r.target(n, path)
		return ref, !ref.IsZero()
	},
	write: func(ref principal.Ref) *yaml.Node { return textNode(ref.String()) },
}

func (r *reader) target(n *yaml.Node, path string) principal.Ref {
	s, ok := r.text(n, path)
	if !ok {
		return principal.Ref{}
	}
	ref, err := principal.Parse(s)
	if err != nil {
		r.errorf(n, path, CodePrincipal, "%v", err)
		return principal.Ref{}
	}
	if ref.Kind() != principal.Account && ref != principal.Administrator {
		r.errorf(
			n,
			path,
			CodeTarget,
			"the password of %s cannot be rotated; the target is account:KEY or builtin:administrator",
			ref,
		)
		return principal.Ref{}
	}
	return ref
}

func defaultSecret() unit.Secret {
	return unit.Secret{
		Style:           unit.Characters,
		Length:          DefaultLength,
		Use:             slices.Clone(unit.AllClasses),
		AvoidLookalikes: true,
		Words:           DefaultWords,
		Separator:       unit.Separators[0],
	}
}

func (r *reader) classes(n *yaml.Node, path string) []string {
	var use []string
	r.list(n, path, func(n *yaml.Node, path string) {
		class := r.choice(n, path, unit.AllClasses...)
		switch {
		case class == "":
		case slices.Contains(use, class):
			r.warnf(n, path, CodeDuplicate, "%s stands in this list already; keep one", class)
		default:
			use = append(use, class)
		}
	})
	if n.Kind == yaml.SequenceNode && len(n.Content) == 0 {
		r.errorf(
			n,
			path,
			CodeMissing,
			"no class of characters is named; write some of %s",
			strings.Join(unit.AllClasses, ", "),
		)
	}
	return use
}

func (r Rotation) value() unit.RotationValue {
	v := unit.RotationValue{
		Target: r.Target, EveryMinutes: int(r.Every.Minutes()), Secret: r.Secret,
		AfterUse: unit.AfterUse{
			WaitMinutes: int(r.Wait.Minutes()),
			Then:        r.Then,
		}, RedrawName: r.RedrawName, Keep: r.Keep,
	}
	if r.Secret.Style == unit.Words {
		v.Secret = unit.Secret{Style: unit.Words, Words: r.Secret.Words,
			Separator: strings.TrimPrefix(r.Secret.Separator, unit.Separators[0])}
	} else {
		v.Secret.Use = slices.Sorted(slices.Values(r.Secret.Use))
		v.Secret.Words, v.Secret.Separator = 0, ""
	}
	if r.AfterReveal != nil {
		minutes := int(r.AfterReveal.Minutes())
		v.AfterRevealMinutes = &minutes
	}
	return v
}
