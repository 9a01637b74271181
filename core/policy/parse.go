package policy

import (
	"bytes"
	"errors"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
)

var nameRule = regexp.MustCompile(`^[a-z0-9][a-z0-9-]{0,62}$`)

// ValidName reports whether s can name a policy, a group or an assignment: 1 to 63 characters of
// a-z, 0-9 and -, not beginning with -.
func ValidName(s string) bool { return nameRule.MatchString(s) }

// NameRule is the rule of [ValidName] in words.
const NameRule = "1 to 63 of the characters a-z, 0-9 and -, not beginning with -"

// Parse reads a policy document in YAML 1.2 or JSON. It returns every problem at once, sorted by
// place. The document is as complete as the problems allow, and nil only when nothing can be read;
// see [Usable] for whether it can be published.
func Parse(source []byte) (*Document, []Problem) {
	r := &reader{}
	doc := r.document(source)
	if doc != nil && Usable(r.problems) {
		r.checkWhole(doc)
	}
	sortProblems(r.problems)
	return doc, r.problems
}

func (r *reader) document(source []byte) *Document {
	start := &yaml.Node{Line: 1, Column: 1}
	if len(source) > MaxSize {
		r.errorf(start, "", CodeTooLarge, "the document has %d bytes; at most %d are read. Split it into several policies", len(source), MaxSize)
		return nil
	}
	var root, more yaml.Node
	decoder := yaml.NewDecoder(bytes.NewReader(source))
	if err := decoder.Decode(&root); err != nil {
		if errors.Is(err, io.EOF) {
			r.errorf(start, "", CodeEmpty, "the document is empty; begin with \"format: %s\"", Format)
			return nil
		}
		line, message := syntaxError(err)
		r.errorf(&yaml.Node{Line: line, Column: 1}, "", CodeSyntax, "this is neither YAML nor JSON: %s", message)
		return nil
	}
	if !errors.Is(decoder.Decode(&more), io.EOF) {
		r.errorf(start, "", CodeSyntax, "the file holds more than one document; keep one policy a file")
		return nil
	}
	doc := &Document{}
	r.mapping(root.Content[0], "", map[string]field{
		"format": func(n *yaml.Node, path string) {
			if s, ok := r.text(n, path); ok && s != Format {
				r.errorf(n, path, CodeFormat, "%q is not a format this version reads; write %q", s, Format)
			}
		},
		"name": func(n *yaml.Node, path string) {
			s, ok := r.text(n, path)
			if ok && !ValidName(s) {
				r.errorf(n, path, CodeName, "%q cannot name a policy; use %s", s, NameRule)
			}
			doc.Name = s
		},
		"title":      func(n *yaml.Node, path string) { doc.Title = r.prose(n, path) },
		"notes":      func(n *yaml.Node, path string) { doc.Notes = r.prose(n, path) },
		"membership": func(n *yaml.Node, path string) { doc.Membership = r.membership(n, path) },
		"passwords":  func(n *yaml.Node, path string) { doc.Passwords = r.passwords(n, path) },
		"lockout":    func(n *yaml.Node, path string) { doc.Lockout = r.lockout(n, path) },
	}, "format", "name")
	return doc
}

var yamlLine = regexp.MustCompile(`line (\d+): `)

// syntaxError takes the line out of the YAML parser's message, which begins with "yaml: line N: ".
func syntaxError(err error) (line int, message string) {
	message = strings.TrimPrefix(err.Error(), "yaml: ")
	if m := yamlLine.FindStringSubmatch(message); m != nil {
		line, _ = strconv.Atoi(m[1])
		message = strings.Replace(message, m[0], "", 1)
	}
	return max(line, 1), message
}

func (r *reader) passwords(n *yaml.Node, path string) *Passwords {
	p := &Passwords{}
	number := func(to **int, low, high int, unit string) field {
		return func(n *yaml.Node, path string) { *to = r.integer(n, path, low, high, unit) }
	}
	r.mapping(n, path, map[string]field{
		"min_length":   number(&p.MinLength, 0, MaxMinLength, "characters"),
		"history":      number(&p.History, 0, MaxHistory, "passwords remembered"),
		"max_age_days": number(&p.MaxAgeDays, 0, MaxMaxAgeDays, "days; 0 means never expires"),
		"min_age_days": number(&p.MinAgeDays, 0, MaxMinAgeDays, "days"),
		"complexity":   func(n *yaml.Node, path string) { p.Complexity = r.boolean(n, path) },
	})
	if p.MinAgeDays != nil && p.MaxAgeDays != nil && *p.MaxAgeDays != 0 && *p.MinAgeDays >= *p.MaxAgeDays {
		r.errorf(n, path+".min_age_days", CodeAges, "a password may not be changed for %d days, yet expires after %d; make min_age_days smaller than max_age_days", *p.MinAgeDays, *p.MaxAgeDays)
	}
	return p
}

func (r *reader) lockout(n *yaml.Node, path string) *Lockout {
	l := &Lockout{Threshold: -1} // until it is read
	r.mapping(n, path, map[string]field{
		"threshold": func(n *yaml.Node, path string) {
			if t := r.integer(n, path, 0, MaxThreshold, "wrong attempts; 0 means never lock"); t != nil {
				l.Threshold = *t
			}
		},
		"duration": func(n *yaml.Node, path string) { l.Duration = r.duration(n, path, 0, MaxLockoutMins) },
		"window":   func(n *yaml.Node, path string) { l.Window = r.duration(n, path, 1, MaxLockoutMins) },
	}, "threshold")
	if l.Threshold == 0 && (l.Duration != nil || l.Window != nil) {
		r.errorf(n, path, CodeNeverLocks, "threshold 0 means that accounts never lock, so duration and window say nothing; take them out, or set a threshold of 1 or more")
		return l
	}
	if duration, window := l.times(); l.Threshold > 0 && duration != 0 && window > duration {
		r.errorf(n, path+".window", CodeWindow, "the counter would start anew after %d minutes, later than the lock of %d minutes ends; make window at most duration", int(window.Minutes()), int(duration.Minutes()))
	}
	return l
}

func (r *reader) membership(n *yaml.Node, path string) []Membership {
	var statements []Membership
	seen := map[string]int{}
	r.list(n, path, func(n *yaml.Node, path string) {
		m := Membership{}
		var named *yaml.Node
		r.mapping(n, path, map[string]field{
			"local_group": func(n *yaml.Node, path string) {
				if s, ok := r.text(n, path); ok {
					m.LocalGroup, named = text.Fold(s), n
				}
			},
			"custom":  func(n *yaml.Node, path string) { b := r.boolean(n, path); m.Custom = b != nil && *b },
			"mode":    func(n *yaml.Node, path string) { m.Mode = Mode(r.choice(n, path, string(Exact), string(Adjust))) },
			"members": func(n *yaml.Node, path string) { m.Members = r.principals(n, path) },
			"remove":  func(n *yaml.Node, path string) { m.Remove = r.principals(n, path) },
		}, "local_group", "mode")
		if named != nil {
			r.localGroup(named, path+".local_group", m)
			if line, again := seen[m.LocalGroup]; again {
				r.errorf(named, path+".local_group", CodeDuplicate, "line %d already says who is in %s; put both statements into one", line, m.LocalGroup)
			}
			seen[m.LocalGroup] = named.Line
		}
		r.checkMembership(n, path, m)
		statements = append(statements, m)
	})
	return statements
}

func (r *reader) localGroup(n *yaml.Node, path string, m Membership) {
	_, known := KnownLocalGroups[m.LocalGroup]
	if known {
		return
	}
	if !m.Custom {
		hint := "known are " + strings.Join(localGroupNames(), ", ") + "."
		if near := text.Nearest(m.LocalGroup, localGroupNames()); near != "" {
			hint = "did you mean " + near + "?"
		}
		r.errorf(n, path, CodeLocalGroup, "%q is not a known local group; %s For a group of your own add \"custom: true\"", n.Value, hint)
		return
	}
	if err := text.CheckName(m.LocalGroup, principal.MaxLocalName); err != nil {
		r.errorf(n, path, CodeName, "the name %v", err)
	}
}

func (r *reader) principals(n *yaml.Node, path string) []principal.Ref {
	var refs []principal.Ref
	r.list(n, path, func(n *yaml.Node, path string) {
		s, ok := r.text(n, path)
		if !ok {
			return
		}
		ref, err := principal.Parse(s)
		if err != nil {
			r.errorf(n, path, CodePrincipal, "%v", err)
			return
		}
		if slices.Contains(refs, ref) {
			r.warnf(n, path, CodeDuplicate, "%s stands in this list already; keep one", ref)
			return
		}
		refs = append(refs, ref)
	})
	return refs
}

func (r *reader) checkMembership(n *yaml.Node, path string, m Membership) {
	switch {
	case m.Mode == Exact && len(m.Remove) > 0:
		r.errorf(n, path+".remove", CodeRemoveExact, "an exact list already puts out everybody it does not name; take \"remove\" out, or use mode adjust")
	case m.Mode == Adjust && len(m.Members)+len(m.Remove) == 0:
		r.errorf(n, path, CodeNothingToAdjust, "an adjust statement with neither members nor removals does nothing; name somebody, or take it out")
	}
	for _, ref := range m.Remove {
		if slices.Contains(m.Members, ref) {
			r.errorf(n, path+".remove", CodeMemberRemoved, "%s is both to be a member and to be removed; keep one", ref)
		}
	}
	if m.LocalGroup == Administrators && slices.Contains(m.Remove, principal.Administrator) {
		r.errorf(n, path+".remove", CodeKeepBuiltin, "the operating system keeps builtin:administrator in administrators; take it out of \"remove\"")
	}
}

func (r *reader) checkWhole(doc *Document) {
	n := doc.Normalise()
	if n.Passwords.IsEmpty() && n.Lockout == nil && len(n.Membership) == 0 {
		r.errorf(&yaml.Node{Line: 1, Column: 1}, "", CodeEmpty, "the policy asks for nothing; add passwords, lockout or membership")
	}
}

func localGroupNames() []string {
	names := make([]string, 0, len(KnownLocalGroups))
	for name := range KnownLocalGroups {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}
