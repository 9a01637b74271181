package policy

import (
	"slices"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
)

// Normal is the one form in which documents are compared and settled: what a policy asks for, setting by
// setting, with defaults filled in, durations in minutes, lists sorted and without duplicates, references in
// canonical case, and the local groups of accounts turned into membership. It is made once and shared by all
// assignments of the policy.
type Normal struct {
	Name string
	Asks []Ask // sorted by setting, one for each
}

// Ask is the value that a policy asks for.
type Ask struct {
	Unit  unit.ID
	Value unit.Value
}

// Normalise gives the normal form of a document without errors. An identifier that the directory
// knows becomes the directory's reference; a nil directory knows nobody.
func (d *Document) Normalise(directory principal.Directory) *Normal {
	n := &Normal{Name: d.Name}
	n.passwords(d.Passwords)
	if d.Lockout != nil {
		n.ask(unit.Lockout, d.Lockout.value())
	}
	if b := d.Builtins; b != nil {
		n.builtin(principal.Administrator, b.Administrator)
		n.builtin(principal.Guest, b.Guest)
	}
	n.accounts(d.Accounts)
	if d.Others != nil {
		n.ask(unit.Others, d.Others.value())
	}
	for _, r := range d.Rotation {
		n.ask(unit.RotationOf(r.Target), r.value())
	}
	for group, statement := range d.statements(directory) {
		n.ask(unit.MembershipOf(group), *statement)
	}
	slices.SortFunc(n.Asks, func(a, b Ask) int { return a.Unit.Compare(b.Unit) })
	return n
}

func (n *Normal) ask(id unit.ID, value unit.Value) { n.Asks = append(n.Asks, Ask{id, value}) }

// canonical sorts references, and names identifiers and objects as the directory does.
func canonical(refs []principal.Ref, directory principal.Directory) []principal.Ref {
	sorted := make([]principal.Ref, 0, len(refs))
	for _, ref := range refs {
		sorted = append(sorted, principal.Normal(ref, directory))
	}
	slices.SortFunc(sorted, principal.Compare)
	return slices.Compact(sorted)
}

// distinct keeps the first of names that are alike without case, in their order.
func distinct(names []string) []string {
	kept := []string{}
	for _, name := range names {
		if !slices.ContainsFunc(kept, func(k string) bool { return text.Fold(k) == text.Fold(name) }) {
			kept = append(kept, name)
		}
	}
	return kept
}
