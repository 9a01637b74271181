package policy

import (
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
)

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
			"custom": func(n *yaml.Node, path string) { b := r.boolean(n, path); m.Custom = b != nil && *b },
			"mode": func(n *yaml.Node, path string) {
				m.Mode = unit.Mode(r.choice(n, path, string(unit.Exact), string(unit.Adjust)))
			},
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
	_, known := unit.KnownLocalGroups[m.LocalGroup]
	if known {
		return
	}
	if !m.Custom {
		r.errorf(n, path, CodeLocalGroup, "%q is not a known local group; %s For a group of your own add \"custom: true\"", n.Value, nearestGroup(m.LocalGroup))
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
		ref = r.lookUp(n, path, ref)
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
	case m.Mode == unit.Exact && len(m.Remove) > 0:
		r.errorf(n, path+".remove", CodeRemoveExact, "an exact list already puts out everybody it does not name; take \"remove\" out, or use mode adjust")
	case m.Mode == unit.Adjust && len(m.Members)+len(m.Remove) == 0:
		r.errorf(n, path, CodeNothingToAdjust, "an adjust statement with neither members nor removals does nothing; name somebody, or take it out")
	}
	if m.LocalGroup == unit.GroupAdministrators && m.Mode == unit.Exact && len(m.Members) == 0 {
		r.warnf(n, path, CodeEmptyExact, "this leaves nobody in administrators but the built-in one and accounts whose local_groups name it; add members, or make sure that is meant")
	}
	if m.LocalGroup == unit.GroupAdministrators && slices.Contains(m.Remove, principal.Administrator) {
		r.errorf(n, path+".remove", CodeKeepBuiltin, "the operating system keeps builtin:administrator in administrators; take it out of \"remove\"")
	}
}

// lookUp finds a principal in the directory, if there is one: it gives an object its name, and warns
// of a name that the directory does not know.
func (r *reader) lookUp(n *yaml.Node, path string, ref principal.Ref) principal.Ref {
	switch {
	case !ref.Kind().InDirectory() || r.directory == nil:
	case ref.Kind() == principal.Object:
		if known, ok := r.directory.Object(ref.GUID()); ok {
			return known
		}
		r.errorf(n, path, CodeUnknownName, "the directory has no object %s; write the name of the user or group instead, or import the directory again", ref.Value())
	default:
		if _, ok := r.directory.SID(ref); !ok {
			hint := "check the spelling, or import the directory again"
			if near := r.directory.Near(ref); len(near) > 0 {
				hint = "did you mean " + orList(near) + "?"
			}
			r.warnf(n, path, CodeUnknownName, "the directory does not know %s; %s", ref, hint)
		}
	}
	return ref
}

func orList(refs []principal.Ref) string {
	names := make([]string, len(refs))
	for i, ref := range refs {
		names[i] = ref.String()
	}
	return strings.Join(names, " or ")
}

func nearestGroup(group string) string {
	if near := text.Nearest(group, localGroupNames()); near != "" {
		return "did you mean " + near + "?"
	}
	return "known are " + strings.Join(localGroupNames(), ", ") + "."
}

func localGroupNames() []string {
	names := make([]string, 0, len(unit.KnownLocalGroups))
	for name := range unit.KnownLocalGroups {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}
