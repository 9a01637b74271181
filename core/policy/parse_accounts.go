package policy

import (
	"slices"

	"go.yaml.in/yaml/v3"

	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
)

func (r *reader) accounts(n *yaml.Node, path string) []Account {
	var accounts []Account
	seen := map[string]int{}
	r.list(n, path, func(n *yaml.Node, path string) {
		a := Account{State: unit.Enabled}
		r.mapping(n, path, map[string]field{
			"key": func(n *yaml.Node, path string) {
				s, ok := r.text(n, path)
				switch line, again := seen[s]; {
				case !ok:
				case !ValidName(s):
					r.errorf(n, path, CodeName, "%q cannot be the key of an account; use %s", s, NameRule)
				case again:
					r.errorf(n, path, CodeDuplicate, "line %d already declares an account with the key %q; choose another key", line, s)
				default:
					a.Key, seen[s] = s, n.Line
				}
			},
			"name":     func(n *yaml.Node, path string) { a.Name = r.accountName(n, path) },
			"formerly": func(n *yaml.Node, path string) { a.Formerly = r.accountNames(n, path) },
			"state": func(n *yaml.Node, path string) {
				a.State = unit.State(r.choice(n, path, "enabled", "disabled", "absent"))
			},
			"full_name":        func(n *yaml.Node, path string) { a.FullName = r.line(n, path) },
			"description":      func(n *yaml.Node, path string) { a.Description = r.line(n, path) },
			"local_groups":     func(n *yaml.Node, path string) { a.LocalGroups = r.knownGroups(n, path) },
			"password_expires": func(n *yaml.Node, path string) { b := r.boolean(n, path); a.PasswordExpires = b != nil && *b },
		}, "key", "name")
		accounts = append(accounts, a)
	})
	return accounts
}

func (r *reader) accountName(n *yaml.Node, path string) string {
	s, ok := r.text(n, path)
	if !ok {
		return ""
	}
	if err := text.CheckAccountName(s); err != nil {
		r.errorf(n, path, CodeName, "the name %v", err)
		return ""
	}
	return s
}

func (r *reader) accountNames(n *yaml.Node, path string) []string {
	var names []string
	r.list(n, path, func(n *yaml.Node, path string) {
		name := r.accountName(n, path)
		switch {
		case name == "":
		case slices.ContainsFunc(names, func(s string) bool { return text.Fold(s) == text.Fold(name) }):
			r.warnf(n, path, CodeDuplicate, "%s stands in this list already; keep one", name)
		default:
			names = append(names, name)
		}
	})
	return names
}

func (r *reader) knownGroups(n *yaml.Node, path string) []string {
	var groups []string
	r.list(n, path, func(n *yaml.Node, path string) {
		s, ok := r.text(n, path)
		if !ok {
			return
		}
		group := text.Fold(s)
		if _, known := unit.KnownLocalGroups[group]; !known {
			hint := nearestGroup(group)
			r.errorf(n, path, CodeLocalGroup, "%q is not a known local group; %s For a group of your own add a membership statement with \"custom: true\"", s, hint)
			return
		}
		if slices.Contains(groups, group) {
			r.warnf(n, path, CodeDuplicate, "%s stands in this list already; keep one", group)
			return
		}
		groups = append(groups, group)
	})
	return groups
}

func (r *reader) builtins(n *yaml.Node, path string) *Builtins {
	b := &Builtins{}
	one := func(to **Builtin) field {
		return func(n *yaml.Node, path string) {
			*to = &Builtin{}
			line := func(to **string) field {
				return func(n *yaml.Node, path string) { s := r.line(n, path); *to = &s }
			}
			r.mapping(n, path, map[string]field{
				"name":        func(n *yaml.Node, path string) { (*to).Name = r.builtinName(n, path) },
				"enabled":     func(n *yaml.Node, path string) { (*to).Enabled = r.boolean(n, path) },
				"full_name":   line(&(*to).FullName),
				"description": line(&(*to).Description),
			})
		}
	}
	r.mapping(n, path, map[string]field{"administrator": one(&b.Administrator), "guest": one(&b.Guest)})
	return b
}

// builtinName is a name as it is: a built-in account has one identity on every device, so there is
// nothing to draw digits for.
func (r *reader) builtinName(n *yaml.Node, path string) *string {
	s := r.accountName(n, path)
	if s == "" {
		return nil
	}
	for _, c := range s {
		if c == '#' {
			r.errorf(n, path, CodeName, "the name of a built-in account has no drawn digits; write it without #")
			return nil
		}
	}
	return &s
}
