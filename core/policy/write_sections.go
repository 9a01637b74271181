package policy

import (
	"slices"

	"go.yaml.in/yaml/v3"

	"rankwarden.example/core/unit"
)

func document(doc *Document) *yaml.Node {
	m := newMapping()
	m.plain("format", Format)
	m.text("name", doc.Name)
	if doc.Title != "" {
		m.text("title", doc.Title)
	}
	if doc.Notes != "" {
		m.text("notes", doc.Notes)
	}
	put(m, "accounts", doc.Accounts, account)
	put(m, "rotation", doc.Rotation, rotationRule)
	put(m, "membership", doc.Membership, membership)
	if b := doc.Builtins; b != nil {
		both := newMapping()
		putBuiltin(both, "administrator", b.Administrator)
		putBuiltin(both, "guest", b.Guest)
		m.put("builtins", both.node)
	}
	if doc.Passwords != nil {
		m.put("passwords", passwords(*doc.Passwords))
	}
	if doc.Lockout != nil {
		m.put("lockout", lockout(*doc.Lockout))
	}
	return m.node
}

func put[T any](m mapping, key string, items []T, write func(T) *yaml.Node) {
	if len(items) == 0 {
		return
	}
	n := &yaml.Node{Kind: yaml.SequenceNode}
	for _, item := range items {
		n.Content = append(n.Content, write(item))
	}
	m.put(key, n)
}

func account(a Account) *yaml.Node {
	m := newMapping()
	m.text("key", a.Key)
	m.text("name", a.Name)
	m.list("formerly", a.Formerly)
	if a.State != unit.Enabled {
		m.plain("state", string(a.State))
	}
	if a.FullName != "" {
		m.text("full_name", a.FullName)
	}
	if a.Description != "" {
		m.text("description", a.Description)
	}
	m.list("local_groups", a.LocalGroups)
	if a.PasswordExpires {
		m.boolean("password_expires", true)
	}
	return m.node
}

func rotationRule(r Rotation) *yaml.Node {
	m := newMapping()
	m.text("target", r.Target.String())
	m.plain("every", Duration(r.Every))
	secret := newMapping()
	if r.Secret.Style == unit.Words {
		secret.plain("style", string(unit.Words))
		secret.number("words", r.Secret.Words)
	} else {
		if r.Secret.Length != DefaultLength {
			secret.number("length", r.Secret.Length)
		}
		if !slices.Equal(r.Secret.Use, unit.AllClasses) {
			secret.list("use", r.Secret.Use)
		}
		if !r.Secret.AvoidLookalikes {
			secret.boolean("avoid_lookalikes", false)
		}
	}
	if len(secret.node.Content) > 0 {
		m.put("secret", secret.node)
	}
	if r.Wait != DefaultWait || r.Then != unit.EndSessions {
		after := newMapping()
		after.plain("wait", Duration(r.Wait))
		after.plain("then", string(r.Then))
		m.put("after_use", after.node)
	}
	if r.AfterReveal != nil {
		m.plain("after_reveal", Duration(*r.AfterReveal))
	}
	if r.RedrawName {
		m.boolean("redraw_name", true)
	}
	if r.Keep != DefaultKeep {
		m.number("keep", r.Keep)
	}
	return m.node
}

func membership(s Membership) *yaml.Node {
	m := newMapping()
	m.text("local_group", s.LocalGroup)
	if s.Custom {
		m.boolean("custom", true)
	}
	m.plain("mode", string(s.Mode))
	m.refs("members", s.Members)
	m.refs("remove", s.Remove)
	return m.node
}

func putBuiltin(to mapping, key string, b *Builtin) {
	if b == nil {
		return
	}
	m := newMapping()
	if b.Name != nil {
		m.text("name", *b.Name)
	}
	if b.Enabled != nil {
		m.boolean("enabled", *b.Enabled)
	}
	if b.FullName != nil {
		m.text("full_name", *b.FullName)
	}
	if b.Description != nil {
		m.text("description", *b.Description)
	}
	to.put(key, m.node)
}

func passwords(p Passwords) *yaml.Node {
	m := newMapping()
	for _, rule := range []struct {
		key   string
		value *int
	}{{"min_length", p.MinLength}, {"history", p.History}, {"max_age_days", p.MaxAgeDays}, {"min_age_days", p.MinAgeDays}} {
		if rule.value != nil {
			m.number(rule.key, *rule.value)
		}
	}
	if p.Complexity != nil {
		m.boolean("complexity", *p.Complexity)
	}
	return m.node
}

func lockout(l Lockout) *yaml.Node {
	m := newMapping()
	m.number("threshold", l.Threshold)
	if l.Duration != nil {
		m.plain("duration", Duration(*l.Duration))
	}
	if l.Window != nil {
		m.plain("window", Duration(*l.Window))
	}
	return m.node
}
