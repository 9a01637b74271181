package policy

import (
	"slices"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

func (r *reader) rotation(n *yaml.Node, path string) []Rotation {
	var rules []Rotation
	seen := map[principal.Ref]int{}
	r.list(n, path, func(n *yaml.Node, path string) {
		rule := Rotation{Every: DefaultEvery, Secret: defaultSecret(), Wait: DefaultWait, Then: unit.EndSessions, Keep: DefaultKeep}
		r.mapping(n, path, map[string]field{
			"target": func(n *yaml.Node, path string) {
				rule.Target = r.target(n, path)
				if line, again := seen[rule.Target]; again && !rule.Target.IsZero() {
					r.errorf(n, path, CodeDuplicate, "line %d already says how %s is rotated; put both into one", line, rule.Target)
				}
				seen[rule.Target] = n.Line
			},
			"every":  func(n *yaml.Node, path string) { r.time(&rule.Every, n, path, MinEvery, MaxEvery) },
			"secret": func(n *yaml.Node, path string) { rule.Secret = r.secret(n, path) },
			"after_use": func(n *yaml.Node, path string) {
				r.mapping(n, path, map[string]field{
					"wait": func(n *yaml.Node, path string) { r.time(&rule.Wait, n, path, MinWait, MaxWait) },
					"then": func(n *yaml.Node, path string) {
						rule.Then = unit.Then(r.choice(n, path, string(unit.Nothing), string(unit.EndSessions), string(unit.Restart)))
					},
				})
			},
			"after_reveal": func(n *yaml.Node, path string) {
				rule.AfterReveal = r.duration(n, path, MinAfterReveal, MaxAfterReveal)
			},
			"redraw_name": func(n *yaml.Node, path string) { b := r.boolean(n, path); rule.RedrawName = b != nil && *b },
			"keep":        func(n *yaml.Node, path string) { r.number(&rule.Keep, n, path, MinKeep, MaxKeep, "former passwords") },
		}, "target")
		rules = append(rules, rule)
	})
	return rules
}

func (r *reader) time(to *time.Duration, n *yaml.Node, path string, low, high int) {
	if d := r.duration(n, path, low, high); d != nil {
		*to = *d
	}
}

func (r *reader) number(to *int, n *yaml.Node, path string, low, high int, measure string) {
	if i := r.integer(n, path, low, high, measure); i != nil {
		*to = *i
	}
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
		r.errorf(n, path, CodeTarget, "the password of %s cannot be rotated; the target is account:KEY or builtin:administrator", ref)
		return principal.Ref{}
	}
	return ref
}

func defaultSecret() unit.Secret {
	return unit.Secret{Style: unit.Characters, Length: DefaultLength, Use: slices.Clone(unit.AllClasses), AvoidLookalikes: true, Words: DefaultWords}
}

func (r *reader) secret(n *yaml.Node, path string) unit.Secret {
	s := defaultSecret()
	var named []string // keys that belong to one style only
	only := func(key string, read field) field {
		return func(n *yaml.Node, path string) { named = append(named, key); read(n, path) }
	}
	r.mapping(n, path, map[string]field{
		"style": func(n *yaml.Node, path string) {
			s.Style = unit.Style(r.choice(n, path, string(unit.Characters), string(unit.Words)))
		},
		"length": only("length", func(n *yaml.Node, path string) { r.number(&s.Length, n, path, MinLength, MaxLength, "characters") }),
		"use":    only("use", func(n *yaml.Node, path string) { s.Use = r.classes(n, path) }),
		"avoid_lookalikes": only("avoid_lookalikes", func(n *yaml.Node, path string) {
			b := r.boolean(n, path)
			s.AvoidLookalikes = b == nil || *b
		}),
		"words": only("words", func(n *yaml.Node, path string) { r.number(&s.Words, n, path, MinWords, MaxWords, "words") }),
	})
	for _, key := range named {
		if s.Style != "" && (s.Style == unit.Words) != (key == "words") {
			r.errorf(r.at(path+"."+key), path+"."+key, CodeForStyle, "a secret of style %s has no %q; take it out, or choose the other style", s.Style, key)
		}
	}
	return s
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
		r.errorf(n, path, CodeMissing, "no class of characters is named; write some of %s", strings.Join(unit.AllClasses, ", "))
	}
	return use
}
