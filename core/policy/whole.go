package policy

import (
	"fmt"
	"slices"
	"strings"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/rotation"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
)

// checkWhole checks what needs more than one section.
func (r *reader) checkWhole(doc *Document) {
	r.checkNames(doc)
	r.checkMembers(doc)
	r.checkChanging(doc)
	for i, rule := range doc.Rotation {
		r.checkRotation(doc, rule, fmt.Sprintf("rotation[%d]", i))
	}
	if Usable(r.problems) && doc.isEmpty() {
		r.errorf(
			r.at(""),
			"",
			CodeEmpty,
			"the policy asks for nothing; add accounts, rotation, membership, builtins, passwords, "+
				"lockout or other_accounts",
		)
	}
}

func (d *Document) isEmpty() bool {
	empty := func(b *Builtin) bool { return b == nil || b.Name == nil && b.Enabled == nil && len(b.Details) == 0 }
	return len(d.Accounts)+len(d.Rotation)+len(d.Membership) == 0 && d.Lockout == nil && d.Others == nil &&
		(d.Passwords == nil || d.Passwords.IsEmpty()) &&
		(d.Builtins == nil || empty(d.Builtins.Administrator) && empty(d.Builtins.Guest))
}

// checkNames sees that no two accounts are to have one name.
func (r *reader) checkNames(doc *Document) {
	type named struct{ name, path string }
	var all []named
	if b := doc.Builtins; b != nil {
		for _, one := range []struct {
			builtin *Builtin
			path    string
		}{{b.Administrator, "builtins.administrator.name"}, {b.Guest, "builtins.guest.name"}} {
			if one.builtin != nil && one.builtin.Name != nil {
				all = append(all, named{*one.builtin.Name, one.path})
			}
		}
	}
	for i, a := range doc.Accounts {
		if a.Name != "" {
			all = append(all, named{a.Name, fmt.Sprintf("accounts[%d].name", i)})
		}
	}
	for i, n := range all {
		for _, other := range all[:i] {
			if text.Fold(n.name) == text.Fold(other.name) {
				r.errorf(
					r.at(n.path),
					n.path,
					CodeDuplicate,
					"line %d already gives the name %q; names compare without case, so choose another",
					r.at(other.path).Line,
					other.name,
				)
				break
			}
		}
	}
}

func (d *Document) account(ref principal.Ref) (Account, bool) {
	i := slices.IndexFunc(d.Accounts, func(a Account) bool { return ref == principal.FromKey(a.Key) })
	if i < 0 {
		return Account{}, false
	}
	return d.Accounts[i], true
}

func (r *reader) checkMembers(doc *Document) {
	for i, m := range doc.Membership {
		path := fmt.Sprintf("membership[%d]", i)
		for j, ref := range m.Members {
			at := fmt.Sprintf("%s.members[%d]", path, j)
			if slices.Contains(m.Remove, ref) {
				r.errorf(
					r.at(path+".remove"),
					path+".remove",
					CodeMemberRemoved,
					"%s is both to be a member and to be removed; keep one",
					ref,
				)
			}
			if a, declared := doc.account(ref); declared && a.State == unit.Absent {
				r.errorf(
					r.at(at),
					at,
					CodeAbsentMember,
					"%s is to be absent, so it cannot be a member; take it out, or change its state",
					ref,
				)
			}
			r.checkDeclared(doc, ref, at)
		}
		for j, ref := range m.Remove {
			at := fmt.Sprintf("%s.remove[%d]", path, j)
			if a, declared := doc.account(ref); declared && a.State != unit.Absent &&
				slices.ContainsFunc(a.LocalGroups, m.About) &&
				!slices.Contains(m.Members, ref) {
				r.errorf(
					r.at(at),
					at,
					CodeMemberRemoved,
					"the local_groups of %s put it into %s, and this takes it out; keep one",
					ref,
					strings.Join(m.Groups(), ", "),
				)
			}
			r.checkDeclared(doc, ref, at)
		}
	}
}

func (r *reader) checkDeclared(doc *Document, ref principal.Ref, path string) {
	if ref.Kind() != principal.Account {
		return
	}
	if _, declared := doc.account(ref); declared {
		return
	}
	keys := make([]string, len(doc.Accounts))
	for i, a := range doc.Accounts {
		keys[i] = a.Key
	}
	hint := "make sure that another policy does, on every device that gets this one"
	if near := text.Nearest(ref.Value(), keys); near != "" {
		hint = fmt.Sprintf("did you mean account:%s? Otherwise %s", near, hint)
	}
	r.warnf(r.at(path), path, CodeUndeclared, "this policy declares no account with the key %q; %s", ref.Value(), hint)
}

// checkChanging sees that whoever must change a password knows it, and can change it.
func (r *reader) checkChanging(doc *Document) {
	for i, a := range doc.Accounts {
		at := fmt.Sprintf("accounts[%d].change_at_next_sign_in", i)
		switch {
		case !a.ChangePassword:
		case !a.KeepPassword:
			r.errorf(r.at(at), at, CodeChangeUnknown, "the device gives this account a password that its user does "+
				"not know, so nobody can change it at a sign-in; add \"password: keep\", or take this out")
		case a.PasswordFixed:
			r.errorf(r.at(at), at, CodeChangeFixed, "the user of this account must change its password and cannot "+
				"(password_fixed); take one of the two out")
		}
	}
}

func (r *reader) checkRotation(doc *Document, rule Rotation, path string) {
	if rule.Target.IsZero() {
		return
	}
	at := path + ".target"
	name := ""
	if rule.Target == principal.Administrator {
		if b := doc.Builtins; b != nil && b.Administrator != nil && b.Administrator.Enabled != nil &&
			!*b.Administrator.Enabled {
			r.warnf(
				r.at(at),
				at,
				CodeRotateDisabled,
				"the built-in administrator is disabled, so nobody can use the password; enable it, or take this out",
			)
		}
	} else {
		r.checkDeclared(doc, rule.Target, at)
		if a, declared := doc.account(rule.Target); declared {
			name = a.Name
			switch {
			case a.KeepPassword:
				r.errorf(r.at(at), at, CodeRotateKept,
					"the password of %s is kept (password: keep), so it is never rotated; take one of the two out",
					rule.Target)
			case a.State == unit.Absent:
				r.errorf(r.at(at), at, CodeRotateAbsent,
					"%s is to be absent, so it has no password; take this out, or change its state", rule.Target)
			case a.State == unit.Disabled:
				r.warnf(r.at(at), at, CodeRotateDisabled,
					"%s is disabled, so nobody can use the password; enable it, or take this out", rule.Target)
			case !doc.isPrivileged(a):
				r.warnf(r.at(at), at, CodeRotateHarmless,
					"%s is in no privileged local group, so its password opens little; is a group missing from its "+
						"local_groups?", rule.Target)
			}
		} else {
			name = "#" // another policy names it
		}
	}
	if at := path + ".redraw_name"; rule.RedrawName && !slices.Contains([]rune(name), '#') {
		r.errorf(
			r.at(at),
			at,
			CodeNoDigits,
			"the name of %s has no # for new digits; write the name with #, or take this out",
			rule.Target,
		)
	}
	r.checkSecret(doc, rule, path)
}

func (d *Document) isPrivileged(a Account) bool {
	return slices.ContainsFunc(a.LocalGroups, unit.IsPrivileged) ||
		slices.ContainsFunc(d.Membership, func(m Membership) bool {
			return slices.ContainsFunc(m.Groups(), unit.IsPrivileged) &&
				slices.Contains(m.Members, principal.FromKey(a.Key))
		})
}

func (r *reader) checkSecret(doc *Document, rule Rotation, path string) {
	at := path + ".secret"
	s := rule.Secret
	if bits := s.Bits(); s.Style != "" && len(s.Use) > 0 && bits < rotation.MinBits {
		r.errorf(
			r.at(at),
			at,
			CodeTooWeak,
			"this secret has %.0f bits; at least %d are needed. Make it longer, or use more classes of characters",
			bits,
			rotation.MinBits,
		)
	}
	p := doc.Passwords
	if p == nil {
		return
	}
	if p.MinLength != nil && s.ShortestLength() < *p.MinLength {
		r.errorf(
			r.at(at),
			at,
			CodeSecretRules,
			"this secret can be as short as %d characters, but the policy's own passwords.min_length is %d; make it "+
				"longer",
			s.ShortestLength(),
			*p.MinLength,
		)
	}
	if p.Complexity != nil && *p.Complexity && s.TooPlain() {
		r.errorf(
			r.at(at),
			at,
			CodeSecretRules,
			"this secret uses %d classes of characters, but the policy's own passwords.complexity asks for three; "+
				"add one",
			len(s.Use),
		)
	}
	if p.MaxAgeDays != nil && *p.MaxAgeDays != 0 && int(rule.Every.Minutes()) > *p.MaxAgeDays*24*60 {
		every := path + ".every"
		r.errorf(
			r.at(every),
			every,
			CodeSlowRotation,
			"the password would expire after %d days, before it is rotated; make \"every\" at most %dd",
			*p.MaxAgeDays,
			*p.MaxAgeDays,
		)
	}
}
