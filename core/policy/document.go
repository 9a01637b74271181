package policy

import (
	"go.yaml.in/yaml/v3"

	"rankwarden.example/core/principal"
)

// Format is the first line of every policy document.
const Format = "rankwarden.policy/1"

// MaxSize is the largest document in bytes.
const MaxSize = 256 << 10

// Document is a policy as its author wrote it. Absent sections are nil.
type Document struct {
	Name       string
	Title      string
	Notes      string
	Accounts   []Account
	Rotation   []Rotation
	Membership []Membership
	Builtins   *Builtins
	Passwords  *Passwords
	Lockout    *Lockout
	Others     *Others
}

// documents is how a document is written.
var documents = shape[Document]{
	{
		key:      "format",
		required: true,
		schema:   schema{{"const", Format}},
		write:    func(*Document) *yaml.Node { return plainNode(Format) },
		read: func(r *reader, n *yaml.Node, path string, _ *Document) {
			if s, ok := r.text(n, path); ok && s != Format {
				r.errorf(n, path, CodeFormat, "%q is not a format this version reads; write %q", s, Format)
			}
		},
	},
	always("name", policyName, func(d *Document) *string { return &d.Name }).needed().
		about("Unique name of the policy"),
	unless("title", proseText, func(d *Document) *string { return &d.Title }, isEmpty).about("Title for people"),
	unless(
		"notes",
		proseText,
		func(d *Document) *string { return &d.Notes },
		isEmpty,
	).about("Why the policy is as it is"),
	unless(
		"accounts",
		listOf(accounts, newAccount, oneAccount),
		func(d *Document) *[]Account { return &d.Accounts },
		none,
	).
		about("Local accounts this policy owns"),
	unless(
		"rotation",
		listOf(rotations, newRotation, oneRotation),
		func(d *Document) *[]Rotation { return &d.Rotation },
		none,
	).
		about("How passwords change"),
	unless(
		"membership",
		listOf(memberships, func() Membership { return Membership{} }, oneMembership, onlyKnown...),
		func(d *Document) *[]Membership { return &d.Membership },
		none,
	).
		about("Who is in local groups"),
	optional(
		"builtins",
		mappingOf(builtins, func() Builtins { return Builtins{} }, nil),
		func(d *Document) **Builtins { return &d.Builtins },
	).
		about("The two accounts that every device has"),
	optional(
		"passwords",
		mappingOf(passwords, func() Passwords { return Passwords{} }, rulesTogether),
		func(d *Document) **Passwords { return &d.Passwords },
	).
		about("Rules for local accounts; every property is optional"),
	optional(
		"lockout",
		mappingOf(lockout, newLockout, lockoutTimes),
		func(d *Document) **Lockout { return &d.Lockout },
	),
	optional(
		"other_accounts",
		mappingOf(others, newOthers, nil),
		func(d *Document) **Others { return &d.Others },
	).
		about("Local accounts that no policy names"),
}

var policyName = textOf(
	schema{{"type", "string"}, {"pattern", namePattern}},
	func(r *reader, n *yaml.Node, path string) (string, bool) {
		s, ok := r.text(n, path)
		if ok && !ValidName(s) {
			r.errorf(n, path, CodeName, "%q cannot name a policy; use %s", s, NameRule)
		}
		return s, true
	},
)

func isEmpty(s string) bool { return s == "" }

// Principals are all that the membership statements name, sorted, each once.
func (d *Document) Principals() []principal.Ref {
	var refs []principal.Ref
	for _, m := range d.Membership {
		refs = append(append(refs, m.Members...), m.Remove...)
	}
	return canonical(refs, nil)
}
