package policy

import (
	"slices"
	"strconv"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"

	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
)

// Account is a local account that the policy owns.
type Account struct {
	Key      string   // how everything else refers to it
	Name     string   // a pattern: each # becomes a digit that the device draws
	Formerly []string // patterns; an account of such a name is renamed and keeps its identity
	State    unit.State
	unit.Details
	TakeOver     bool // also an account that a service or a scheduled task runs as
	KeepPassword bool // its password and sessions are left alone
	// ChangePassword has whoever uses the account change its password, once, at the next sign-in
	ChangePassword bool
	KeepKeys       bool     // the keys by which SSH lets people in are left alone
	LocalGroups    []string // known local groups, in canonical case
}

// accounts is how an account is written: what it is called, texts, local groups, then what is on or off.
var accounts = slices.Concat(shape[Account]{
	always("key", accountKey, func(a *Account) *string { return &a.Key }).needed().
		about("How everything else refers to the account"),
	always("name", ownName, func(a *Account) *string { return &a.Name }).needed().
		about("Name of the account; each # becomes a random digit, drawn by the device"),
	unless(
		"formerly",
		words(schema{{"$ref", "#/$defs/accountName"}}, (*reader).accountNames),
		func(a *Account) *[]string { return &a.Formerly },
		none,
	).
		about("If the account is missing and one of these exists, it is renamed and keeps its identity"),
	usual(
		"state",
		oneOf(unit.Enabled, unit.Disabled, unit.Absent),
		func(a *Account) *unit.State { return &a.State },
		unit.Enabled,
	),
}, accountTexts(), shape[Account]{
	unless(
		"local_groups",
		words(schema{{"$ref", "#/$defs/knownGroup"}}, (*reader).knownGroups),
		func(a *Account) *[]string { return &a.LocalGroups },
		none,
	).
		about("Known local groups the account is put into"),
}, accountFlags(), shape[Account]{
	usual("take_over", yesNo, func(a *Account) *bool { return &a.TakeOver }, false).
		about("Whether an account that a service or a scheduled task runs as may be taken over"),
	unless("password", keepWord, func(a *Account) *bool { return &a.KeepPassword },
		func(keep bool) bool { return !keep }).
		about("With keep, the password and the sessions of the account are left alone, and it is never rotated"),
	usual("change_at_next_sign_in", yesNo, func(a *Account) *bool { return &a.ChangePassword }, false).
		about("With password: keep, whether whoever uses the account must change its password, once"),
	unless("ssh_keys", keepKeys, func(a *Account) *bool { return &a.KeepKeys }, func(keep bool) bool { return !keep }).
		about("With keep, the keys by which SSH lets people in stay; without, they go when the account is taken " +
			"over and " +
			"at each rotation"),
})

// keepKeys is the only word for what becomes of the keys of an account.
var keepKeys = onlyWord("keep", CodeChoice, "%q is not known here; write keep, or take the key out: the keys are "+
	"then taken away")

// keepWord is the only word that may stand where a password could be looked for.
var keepWord = onlyWord("keep", CodeSecret, "a policy never holds a password, because everybody who can read the "+
	"policy "+
	"could use it on every device; write keep, or take the key out. Change the password if this was a real one")

// onlyWord is a value with one word; any other is refused in words, which may have a place for it.
func onlyWord(word, code, why string) kind[bool] {
	return kind[bool]{
		schema{{"const", word}},
		func(r *reader, n *yaml.Node, path string) (bool, bool) {
			if s, ok := r.text(n, path); ok && s != word {
				r.errorf(n, path, code, "%s", strings.ReplaceAll(why, "%q", strconv.Quote(s)))
				return false, false
			}
			return true, true
		},
		func(bool) *yaml.Node { return plainNode(word) },
	}
}

func accountTexts() (texts shape[Account]) {
	for _, d := range unit.AccountDetails {
		if d.Text != nil {
			at := func(a *Account) *string { return d.Text(&a.Details) }
			of := lineText
			if d.Day {
				of = dayText
			}
			texts = append(texts, usual(d.Name, of, at, "").about(d.About))
		}
	}
	return texts
}

// dayText is a day of the calendar.
var dayText = kind[string]{
	schema{{"type", "string"}, {"pattern", "^[0-9]{4}-[0-9]{2}-[0-9]{2}$"}},
	func(r *reader, n *yaml.Node, path string) (string, bool) {
		if n.Kind != yaml.ScalarNode {
			return r.text(n, path)
		}
		if _, err := time.Parse(time.DateOnly, n.Value); err != nil {
			r.errorf(n, path, CodeType, "%q is no day; write one as 2027-03-31", n.Value)
			return "", false
		}
		return n.Value, true
	},
	plainNode,
}

func accountFlags() (flags shape[Account]) {
	for _, d := range unit.AccountDetails {
		if d.Flag != nil {
			at := func(a *Account) *bool { return d.Flag(&a.Details) }
			flags = append(flags, usual(d.Name, yesNo, at, false).about(d.About))
		}
	}
	return flags
}

var accountKey = textOf(
	schema{{"type", "string"}, {"pattern", namePattern}},
	func(r *reader, n *yaml.Node, path string) (string, bool) {
		s, ok := r.text(n, path)
		if ok && !ValidName(s) {
			r.errorf(n, path, CodeName, "%q cannot be the key of an account; use %s", s, NameRule)
			return "", false
		}
		if why := unit.KeyKept(s); why != "" {
			r.errorf(n, path, CodeName, "%q cannot be the key of an account: it %s; choose another key", s, why)
			return "", false
		}
		return s, ok
	},
)

func newAccount() Account { return Account{State: unit.Enabled} }

// oneAccount refuses a key that an earlier account has.
func oneAccount(r *reader, _ *yaml.Node, path string, seen map[string]int, a *Account) {
	if a.Key == "" {
		return
	}
	at := r.at(path + ".key")
	if line, again := seen[a.Key]; again {
		r.errorf(
			at,
			path+".key",
			CodeDuplicate,
			"line %d already declares an account with the key %q; choose another key",
			line,
			a.Key,
		)
		a.Key = ""
		return
	}
	seen[a.Key] = at.Line
}

// ownName is the name of a managed account, which is none that a device has already for something else.
var ownName = textOf(
	schema{{"$ref", "#/$defs/accountName"}},
	func(r *reader, n *yaml.Node, path string) (string, bool) {
		s := r.accountName(n, path)
		if why := unit.Reserved(s); why != "" {
			r.errorf(n, path, CodeName, "%q %s; choose another name", s, why)
			return "", false
		}
		if why := unit.LinuxRefuses(s); s != "" && why != "" {
			r.warnf(n, path, CodePlatform, "devices with Linux refuse this name: it %s", why)
		}
		return s, s != ""
	},
)

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
			r.errorf(
				n,
				path,
				CodeLocalGroup,
				"%q is not a known local group; %s For a group of your own add a membership statement with \"custom: "+
					"true\"",
				s,
				hint,
			)
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

func (n *Normal) accounts(list []Account) {
	for _, a := range list {
		n.ask(
			unit.AccountOf(a.Key),
			unit.AccountValue{Key: a.Key, Name: a.Name, Formerly: distinct(a.Formerly), State: a.State,
				Details: a.Details, TakeOver: a.TakeOver, KeepPassword: a.KeepPassword,
				ChangePassword: a.ChangePassword, KeepKeys: a.KeepKeys},
		)
	}
}
