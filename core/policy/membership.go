package policy

import (
	"fmt"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
)

// Membership states who is in one local group.
type Membership struct {
	LocalGroup  string   // in canonical case; empty where several are named
	LocalGroups []string // several groups of which the same is said, in canonical case
	Custom      bool     // the groups are none of the known ones, on purpose
	Create      bool     // a group is made where it is missing, and goes again when nobody asks for it
	Strict      bool     // files of sudoers(5) that make others administrators are moved aside
	Mode        unit.Mode
	Members     []principal.Ref
	Remove      []principal.Ref // adjust only
}

// memberships is how a statement is written.
var memberships = shape[Membership]{
	unless("local_group", groupName, func(m *Membership) *string { return &m.LocalGroup }, isEmpty).
		about("A known local group, or any name together with custom: true"),
	unless("local_groups", words(schema{{"type", "string"}, {"minLength", 1}}, (*reader).groupNames),
		func(m *Membership) *[]string { return &m.LocalGroups }, none).
		about("Several local groups of which the same is said, instead of local_group"),
	usual("custom", yesNo, func(m *Membership) *bool { return &m.Custom }, false),
	usual("create", yesNo, func(m *Membership) *bool { return &m.Create }, false).
		about("With custom: true, whether a missing group is made; it goes when nobody asks for it and it is empty"),
	always("mode", oneOf(unit.Exact, unit.Adjust), func(m *Membership) *unit.Mode { return &m.Mode }).needed().
		about("exact: these and nobody else; adjust: these in, those out, the rest alone"),
	unless("sudoers", strictWord, func(m *Membership) *bool { return &m.Strict },
		func(strict bool) bool { return !strict }).
		about("With strict, on devices with Linux, files of sudoers that make others administrators are moved aside"),
	unless("members", principals, func(m *Membership) *[]principal.Ref { return &m.Members }, none),
	unless("remove", principals, func(m *Membership) *[]principal.Ref { return &m.Remove }, none).about("adjust only"),
}

// strictWord is the only word for what becomes of sudoers; without it they are reported.
var strictWord = onlyWord("strict", CodeChoice, "%q is not known here; write strict, or take the key out: what "+
	"sudoers allow is then reported and left alone")

// onlyKnown is the part of the schema that lets only known groups be named without custom.
var onlyKnown = []member{
	{
		"if",
		schema{
			{
				"not",
				schema{{"properties", schema{{"custom", schema{{"const", true}}}}}, {"required", []string{"custom"}}},
			},
		},
	},
	{"then", schema{{"properties", schema{{"local_group", knownGroup}}}}},
}

var knownGroup = schema{{"type", "string"}, {"pattern", "^(?:" + anyCase(localGroupNames()...) + ")$"}}

var groupName = textOf(
	schema{{"type", "string"}, {"minLength", 1}},
	func(r *reader, n *yaml.Node, path string) (string, bool) {
		s, ok := r.text(n, path)
		return text.Fold(s), ok
	},
)

var principals = kind[[]principal.Ref]{schema{{"type", "array"}, {"items", schema{{"$ref", "#/$defs/principal"}}}},
	func(r *reader, n *yaml.Node, path string) ([]principal.Ref, bool) { return r.principals(n, path), true },
	func(refs []principal.Ref) *yaml.Node {
		n := &yaml.Node{Kind: yaml.SequenceNode}
		for _, ref := range refs {
			n.Content = append(n.Content, textNode(ref.String()))
		}
		return n
	}}

// Groups are all that the statement is about.
func (m Membership) Groups() []string {
	if m.LocalGroup == "" {
		return m.LocalGroups
	}
	return append([]string{m.LocalGroup}, m.LocalGroups...)
}

// About reports whether the statement is about a local group.
func (m Membership) About(group string) bool { return slices.Contains(m.Groups(), group) }

func (r *reader) groupNames(n *yaml.Node, path string) []string {
	var groups []string
	r.list(n, path, func(n *yaml.Node, path string) {
		s, ok := r.text(n, path)
		group := text.Fold(s)
		switch {
		case !ok:
		case slices.Contains(groups, group):
			r.warnf(n, path, CodeDuplicate, "%s stands in this list already; keep one", group)
		default:
			groups = append(groups, group)
		}
	})
	return groups
}

// oneMembership refuses a second statement on a group, and one that says nothing.
func oneMembership(r *reader, n *yaml.Node, path string, seen map[string]int, m *Membership) {
	one, several := r.places[path+".local_group"], r.places[path+".local_groups"]
	switch {
	case one == nil && several == nil:
		r.errorf(n, path+".local_group", CodeMissing, "the key \"local_group\" is required here; add it, or "+
			"local_groups with several")
	case one != nil && several != nil:
		r.errorf(several, path+".local_groups", CodeDuplicate, "name one group with local_group or several with "+
			"local_groups; take one of the two out")
	case one != nil && isText(one):
		r.aboutGroup(one, path+".local_group", seen, m.LocalGroup, *m)
	case several != nil:
		for i, group := range m.LocalGroups {
			at := fmt.Sprintf("%s.local_groups[%d]", path, i)
			r.aboutGroup(r.at(at), at, seen, group, *m)
		}
	}
	r.checkMembership(n, path, *m)
}

// aboutGroup checks one group that a statement is about, and refuses one of which another statement speaks.
func (r *reader) aboutGroup(n *yaml.Node, path string, seen map[string]int, group string, m Membership) {
	r.localGroup(n, path, group, m)
	if line, again := seen[group]; again {
		r.errorf(n, path, CodeDuplicate, "line %d already says who is in %s; put both statements into one", line, group)
	}
	seen[group] = n.Line
}

func (r *reader) localGroup(n *yaml.Node, path, group string, m Membership) {
	_, known := unit.KnownLocalGroups[group]
	if m.Strict && group != unit.GroupAdministrators {
		r.errorf(n, path, CodeLocalGroup, "sudoers make administrators, and no members of %s; take \"sudoers\" "+
			"out", group)
	}
	if known {
		if m.Create {
			r.errorf(n, path, CodeLocalGroup, "every device that can have %s has it; take \"create\" out", group)
		}
		return
	}
	if word, means := unit.KnownBy(group); means {
		r.errorf(
			n,
			path,
			CodeLocalGroup,
			"%q is what some devices call the local group %s; write \"local_group: %s\", which every device "+
				"understands",
			n.Value,
			word,
			word,
		)
		return
	}
	if !m.Custom {
		r.errorf(
			n,
			path,
			CodeLocalGroup,
			"%q is not a known local group; %s For a group of your own add \"custom: true\"",
			n.Value,
			nearestGroup(group),
		)
		return
	}
	if err := text.CheckName(group, principal.MaxLocalName); err != nil {
		r.errorf(n, path, CodeName, "the name %v", err)
		return
	}
	if !m.Create {
		return
	}
	if why := unit.Reserved(group); why != "" {
		r.errorf(n, path, CodeName, "%q %s; choose another name for a group that is created", group, why)
	} else if why := unit.LinuxRefuses(group); why != "" {
		r.warnf(n, path, CodePlatform, "devices with Linux refuse this name: it %s", why)
	}
}

func (r *reader) principals(n *yaml.Node, path string) []principal.Ref {
	var refs []principal.Ref
	seen := map[principal.Ref]bool{}
	switch r.named += len(n.Content); {
	case len(n.Content) > MaxMembers:
		r.errorf(n, path, CodeBounds, "%d principals are too many for one list; at most %d can be named. Put people "+
			"into a group of the directory", len(n.Content), MaxMembers)
		// the rest is not read
		n = &yaml.Node{Kind: n.Kind, Content: n.Content[:MaxMembers], Line: n.Line, Column: n.Column}
	case r.named > MaxNamed:
		r.errorf(n, path, CodeBounds, "the document names more than %d principals; put people into a group of the "+
			"directory", MaxNamed)
	}
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
		if seen[ref] {
			r.warnf(n, path, CodeDuplicate, "%s stands in this list already; keep one", ref)
			return
		}
		seen[ref] = true
		refs = append(refs, ref)
	})
	return refs
}

func (r *reader) checkMembership(n *yaml.Node, path string, m Membership) {
	switch {
	case m.Mode == unit.Exact && len(m.Remove) > 0:
		r.errorf(
			n,
			path+".remove",
			CodeRemoveExact,
			"an exact list already puts out everybody it does not name; take \"remove\" out, or use mode adjust",
		)
	case m.Mode == unit.Adjust && len(m.Members)+len(m.Remove) == 0 && !m.Create:
		r.errorf(
			n,
			path,
			CodeNothingToAdjust,
			"an adjust statement with neither members nor removals does nothing; name somebody, or take it out",
		)
	}
	if m.About(unit.GroupAdministrators) && m.Mode == unit.Exact && len(m.Members) == 0 {
		r.warnf(
			n,
			path,
			CodeEmptyExact,
			"this leaves nobody in administrators but the built-in one and accounts whose local_groups name it; add "+
				"members, or make sure that is meant",
		)
	}
	if m.About(unit.GroupAdministrators) && slices.Contains(m.Remove, principal.Administrator) {
		r.errorf(
			n,
			path+".remove",
			CodeKeepBuiltin,
			"the operating system keeps builtin:administrator in administrators; take it out of \"remove\"",
		)
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
		r.errorf(
			n,
			path,
			CodeUnknownName,
			"the directory has no object %s; write the name of the user or group instead, or import the directory "+
				"again",
			ref.Value(),
		)
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

// statements are the claims on local groups, by group: those of the membership section, and what the local
// groups of accounts come to.
func (d *Document) statements(directory principal.Directory) map[string]*unit.Statement {
	all := map[string]*unit.Statement{}
	for _, m := range d.Membership {
		for _, group := range m.Groups() {
			all[group] = &unit.Statement{
				Mode:    m.Mode,
				Members: slices.Clone(m.Members),
				Remove:  slices.Clone(m.Remove),
				Create:  m.Create,
				Strict:  m.Strict,
			}
		}
	}
	for _, a := range d.Accounts {
		if a.State == unit.Absent {
			continue
		}
		for _, group := range a.LocalGroups {
			if all[group] == nil {
				all[group] = &unit.Statement{Mode: unit.Adjust}
			}
			all[group].Members = append(all[group].Members, principal.FromKey(a.Key))
		}
	}
	for group, s := range all {
		if s.Mode == unit.Exact && group == unit.GroupAdministrators {
			// The operating system keeps it there, whatever a list says.
			s.Members = append(s.Members, principal.Administrator)
		}
		s.Members, s.Remove = canonical(s.Members, directory), canonical(s.Remove, directory)
	}
	return all
}
